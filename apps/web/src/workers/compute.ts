import type { SnapshotDifference } from '@praesidor/contract';
import type { Estate } from '@praesidor/core/model';
import { type Remote, wrap } from 'comlink';
import type { Compute } from './compute.worker.ts';

let remote: Remote<Compute> | undefined;
let latest: { state: string; text: string } | undefined;
/** What has changed since states of which the worker has one, newest last. */
const differences: SnapshotDifference[] = [];
/** Differences beyond so many are not handed on: a worker that was not asked for so long is given everything. */
const most = 50;
let handed = '';
let handing: Promise<void> | undefined;
/** The estate has arrived whole: its text is kept, since a worker that reads it itself costs this thread nothing. */
export function arrived(state: string, text: string): void {
  latest = { state, text };
  differences.length = 0;
}
/** What has changed has arrived. */
export function changed(d: SnapshotDifference): void {
  differences.push(d);
  if (differences.length > most) differences.shift();
}
/** The differences that lead from one state to another; undefined where they do not. */
function between(from: string, to: string): SnapshotDifference[] | undefined {
  const at = differences.findIndex((d) => d.since === from);
  const end = differences.findIndex((d) => d.state === to);
  return at < 0 || end < at ? undefined : differences.slice(at, end + 1);
}

/** The worker, with the estate of a snapshot in it. It is handed what it has not, and no more. */
export async function computerWith(s: { estate: Estate; state: string }): Promise<Remote<Compute>> {
  const c = computer();
  if (handed !== s.state) {
    const from = handed;
    handed = s.state;
    handing = hand(c, from, s, handing).catch((e: Error) => {
      // What it holds by now is not known: it is given everything next.
      handed = '';
      throw e;
    });
  }
  await handing;
  return c;
}
async function hand(
  c: Remote<Compute>,
  from: string,
  s: { estate: Estate; state: string },
  before?: Promise<void>,
): Promise<void> {
  await before?.catch(() => undefined);
  const steps = between(from, s.state);
  if (steps) await c.change(steps.map((d) => d.difference));
  else if (latest?.state === s.state) {
    const { text } = latest;
    // It is read once, and then only what changes.
    latest = undefined;
    await c.loadText(text);
  } else await c.load(s.estate);
}

/** The one worker of the page, started when it is first needed. */
export function computer(): Remote<Compute> {
  remote ??= wrap<Compute>(new Worker(new URL('./compute.worker.ts', import.meta.url), { type: 'module' }));
  return remote;
}
