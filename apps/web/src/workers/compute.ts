import type { Estate } from '@praesidor/core/model';
import { type Remote, wrap } from 'comlink';
import type { Compute } from './compute.worker.ts';

let remote: Remote<Compute> | undefined;
let latest: { revision: number; text: string } | undefined;
let handed = -1;
let handing: Promise<void> | undefined;
/** The estate has arrived: its text is kept, since a worker that reads it itself costs this thread nothing. */
export function arrived(revision: number, text: string): void {
  latest = { revision, text };
}
/** The worker, with the estate of a snapshot in it. One that it holds already is not handed over again. */
export async function computerWith(s: { estate: Estate; revision: number }): Promise<Remote<Compute>> {
  const c = computer();
  if (handed !== s.revision) {
    handed = s.revision;
    handing = latest?.revision === s.revision ? c.loadText(latest.text) : c.load(s.estate, s.revision);
  }
  await handing;
  return c;
}

/** The one worker of the page, started when it is first needed. */
export function computer(): Remote<Compute> {
  remote ??= wrap<Compute>(new Worker(new URL('./compute.worker.ts', import.meta.url), { type: 'module' }));
  return remote;
}
