import { setTimeout as pause } from 'node:timers/promises';
import { z } from 'zod';
import { volumesAsked, wholeOf } from '@praesidor/core/backup';
import { type Computed, type Plan, resolve } from '@praesidor/core/charter';
import type { Charter, Estate, TriedLoss } from '@praesidor/core/model';
import {
  expectedCopies,
  expectedOf,
  type Expected,
  minute,
  roomAsSeen,
  roomOf,
  second,
  triedLine,
} from '@praesidor/core/rehearse';
import { counted, secondsText } from '@praesidor/core/words';
import { connects } from '@praesidor/protocols/dial';
import {
  claimsSeen,
  type ClusterSeen,
  clusterSeen,
  clusterTime,
  type KubeAt,
  publishedServices,
} from '@praesidor/protocols/kube';
import type { Context } from '../../context.ts';
import type { RunRow } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import { memoryOf, type RunKind, type StepTools } from '../../engine/kind.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { openCluster } from '../builds/open-cluster.ts';
import { volumesAsIs } from '../builds/volumes-as-is.ts';
import { powered } from '../hosts/machine.ts';
import { keepLoss, noteBack, noteLine } from './rows.ts';
import { type Before, keyOf, watched } from './watch.ts';

/** What a loss was asked for: what is lost as the rehearsal calls it, and which hosts that are. */
export const Asked = z.strictObject({ case: z.string(), hosts: z.array(z.string()).min(1) });
export type Asked = z.infer<typeof Asked>;

/** Hosts of a cluster that stands are switched off, what happens is held against what was rehearsed, and they are switched on again. */
export const lossRun: RunKind = {
  kind: 'loss',
  act: 'losses.try',
  noun: 'the trial of a loss',
  called: (run) => run.title,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run, track) => ({
    perform: (tools) => {
      const carriesOut = acts[tools.step.kind];
      if (!carriesOut) throw new Error(`no step of a loss: ${tools.step.kind}`);
      return carriesOut(ctx, run, tools, (step) => track.status.steps[step]?.notes ?? {});
    },
  }),
};
/** What another step of the run put down. */
type Noted = (step: string) => Readonly<Record<string, string>>;
const acts: Partial<
  Record<StepTools['step']['kind'], (ctx: Context, run: RunRow, tools: StepTools, noted: Noted) => Promise<string>>
> = {
  whole,
  lose,
  return: back,
};

async function about(ctx: Context, run: RunRow, tools: StepTools) {
  const { case: lost, hosts } = Asked.parse(run.asked);
  const estate = await estateNow(ctx.db);
  const { kube: at, built } = await openCluster(ctx, estate, run.subject, false);
  const machines = await Promise.all(
    hosts.map(async (name) => {
      const machine = await powered(ctx, needIn(estate, 'Host', name), tools.signal);
      if (!machine) throw new StepFailure(`Nobody switches ${name} off and on: it has no controller.`, 'Stop this.');
      return { name, ...machine };
    }),
  );
  return { lost, hosts, estate, at, built, machines };
}
/** Hosts in a sentence, and what goes with them. */
const are = (hosts: readonly string[], one: string, many: string) => `${hosts.join(', ')} ${hosts.length === 1 ? one : many}`;

/** Nothing else is missing: two losses at once would be another case. */
async function whole(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const { at, built } = await about(ctx, run, tools);
  const seen = await clusterSeen(at);
  const missing = built.nodes.flatMap((n) => (seen.nodes.some((s) => s.name === n.host && s.ready) ? [] : [n.host]));
  if (missing.length)
    throw new StepFailure(
      `${missing.join(', ')} ${missing.length === 1 ? 'is' : 'are'} not ready: a further loss is another case.`,
      'Mend that first, then resume.',
    );
  const lacking = volumesAsIs(await claimsSeen(at), built).filter((v) => {
    const is = wholeOf(v);
    return is && is.whole < is.of;
  });
  if (lacking.length)
    throw new StepFailure(
      `${lacking.map((v) => v.name).join(', ')} ${lacking.length === 1 ? 'has' : 'have'} not all copies: a further loss is another case.`,
      'Wait until they are rebuilt (Volumes, As they are), then resume.',
    );
  return `${counted(seen.nodes.length, 'host')} ready, ${counted(seen.pods.filter((p) => p.ready).length, 'pod')} of workloads`;
}

/** What is to come, with pods where they are now; what is not looked at, with why. */
function forecast(
  estate: Estate,
  built: Plan,
  hosts: readonly string[],
  pods: ClusterSeen['pods'],
  leads: Record<string, string>,
  copies: Record<string, string[]>,
) {
  const charter = estate.charters.find((c) => c.name === built.charter.name) ?? built.charter;
  const plan = resolve(charter, estate);
  const { room, absent } = roomAsSeen(
    roomOf(plan),
    pods.flatMap((p) => (p.host && p.ready ? [{ namespace: p.namespace, work: p.work, host: p.host }] : [])),
    leads,
    copies,
  );
  const lost = room.hosts.flatMap((h, i) => (hosts.includes(h.name) ? [i] : []));
  const expected = expectedOf(room, lost, plan.timers.lease);
  const before = new Map(room.works.map((w): [string, Before] => [w.name, { namespace: w.namespace, ready: w.pods.length }]));
  return { room, lost, expected, before, without: absent.map((w) => `${w}: the cluster has no pod of it`) };
}

/** The same by what was put down before the loss. */
const asSeen = (estate: Estate, built: Plan, hosts: readonly string[], noted: Readonly<Record<string, string>>) =>
  forecast(
    estate,
    built,
    hosts,
    JSON.parse(noted.seen ?? '[]'),
    JSON.parse(noted.leads ?? '{}'),
    JSON.parse(noted.copies ?? '{}'),
  );
/** Where copies of planned volumes lie, as their driver says. */
async function copiesOf(at: KubeAt, charter: Charter): Promise<Record<string, string[]>> {
  const claims = new Map((await claimsSeen(at)).map((c) => [`${c.namespace}/${c.claim}`, c]));
  return Object.fromEntries(
    volumesAsked(charter).flatMap((v) => {
      const copies = claims.get(`${v.namespace}/${v.claim}`)?.copies;
      return copies?.length ? [[v.name, copies.map((c) => c.host)]] : [];
    }),
  );
}

/** Addresses that take connections at a port; the API is heard by itself. */
function doors(ctx: Context, plan: Computed): Map<string, () => Promise<boolean>> {
  return new Map(
    plan.services.flatMap(({ name, address, port }) =>
      address && port
        ? [
            [
              name,
              () =>
                connects(ctx.dialer.exits, 'cluster', address, port, 1000).then(
                  () => true,
                  () => false,
                ),
            ] as const,
          ]
        : [],
    ),
  );
}

async function lose(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const { lost: what, hosts, estate, at, built, machines } = await about(ctx, run, tools);
  const memory = memoryOf(tools);
  const addresses = doors(ctx, resolve(needIn(estate, 'Charter', run.subject), estate));
  const on = async () => (await Promise.all(machines.map(async (m) => ((await m.on()) ? [m.name] : [])))).flat();
  // Looked at before they go off, and kept: whoever goes on with it finds the cluster without them. Where all are on again it is looked at anew.
  const standing = await on();
  if (standing.length === hosts.length) {
    const { pods } = await clusterSeen(at);
    const answer: string[] = [];
    for (const [name, answers] of addresses) if (await answers()) answer.push(name);
    const published = await publishedServices(at);
    const leads = published.flatMap((p) => (p.node ? p.addresses.map((a) => [a, p.node?.name]) : []));
    await memory.remember('answer', JSON.stringify(answer));
    await memory.remember('copies', JSON.stringify(await copiesOf(at, needIn(estate, 'Charter', run.subject))));
    await memory.remember('leads', JSON.stringify(Object.fromEntries(leads)));
    await memory.remember(
      'seen',
      JSON.stringify(pods.map(({ namespace, work, host: where, ready }) => ({ namespace, work, host: where, ready }))),
    );
    await memory.remember('to', undefined);
    await memory.remember('from', String(await clusterTime(at)));
  }
  if (!memory.knows.from)
    throw new StepFailure(
      `${are(hosts, 'has', 'have')} no power: there is nothing to see of ${hosts.length === 1 ? 'its' : 'their'} loss.`,
      `Switch ${hosts.join(', ')} on, then resume.`,
    );
  let left = standing;
  await Promise.all(machines.filter((m) => left.includes(m.name)).map((m) => m.off()));
  for (const end = Date.now() + patience; ; await pause(200, undefined, { signal: tools.signal })) {
    left = await on();
    if (!left.length) break;
    if (Date.now() > end)
      throw new StepFailure(
        `${are(left, 'was', 'were')} told to go off, and still ${left.length === 1 ? 'has' : 'have'} power.`,
        'See the controller, then resume.',
      );
  }
  const { expected: all, before, without } = asSeen(estate, built, hosts, memory.knows);
  const lost = { hosts, from: Number(memory.knows.from), to: Number(memory.knows.to) };
  if (!memory.knows.to) {
    lost.to = await answered(at, hosts, tools.signal);
    await memory.remember('to', String(lost.to));
    await tools.log(`${are(hosts, 'has', 'have')} no power`);
  }
  const answer = JSON.parse(memory.knows.answer ?? '[]') as string[];
  const expected = all.filter((e) => {
    if (e.what !== 'address' || e.name === 'API' || answer.includes(e.name)) return true;
    without.push(`${e.name}: ${addresses.has(e.name) ? 'nobody answered there before' : 'no port of it is declared'}`);
    return false;
  });
  // What another host answers for goes on.
  for (const name of answer)
    if (!expected.some((e) => e.what === 'address' && e.name === name))
      expected.push({ what: 'address', name, text: 'goes on answering', is: { from: 0, to: 0 } });
  for (const name of [...addresses.keys()]) if (!answer.includes(name)) addresses.delete(name);
  const came = await watched(lost, expected, before, {
    seen: () => clusterSeen(at),
    addresses,
    pause: () => pause(every, undefined, { signal: tools.signal }),
    now: () => Date.now(),
    heard: (c, of) => void tools.progress(c.size, of, [...c.keys()].at(-1)).catch(() => undefined),
  });
  const lines = expected.map((e: Expected) => triedLine(e, came.get(keyOf(e))));
  const tried: TriedLoss = {
    at: new Date().toISOString(),
    by: run.runBy ?? run.createdBy,
    lines,
    without,
  };
  await keepLoss(ctx.db.manager, run.subject, what, tried);
  const other = lines.filter((l) => !l.agrees);
  return other.length
    ? `${other.length} of ${lines.length} otherwise than rehearsed: ${other.map((l) => l.name).join(', ')}`
    : `${counted(lines.length, 'time')} as rehearsed`;
}
/** Milliseconds after which what should follow at once is given up. */
const patience = 600_000;
/** Milliseconds between two looks. */
const every = 300;

/** What time it is in the cluster, once it answers again. */
async function answered(at: KubeAt, hosts: readonly string[], signal: AbortSignal): Promise<number> {
  for (const end = Date.now() + patience; ; ) {
    const time = await clusterTime(at).catch(() => undefined);
    if (time !== undefined) return time;
    if (Date.now() > end)
      throw new StepFailure(
        `The API has not answered for ten minutes, and ${are(hosts, 'has', 'have')} no power.`,
        `Switch ${hosts.join(', ')} on, then resume.`,
      );
    await pause(100, undefined, { signal });
  }
}

/** All are switched on, and waited for until they are ready, and until volumes have all their copies again. */
async function back(ctx: Context, run: RunRow, tools: StepTools, noted: Noted): Promise<string> {
  const { lost, hosts, estate, at, built, machines } = await about(ctx, run, tools);
  const memory = memoryOf(tools);
  if (!memory.knows.from) await memory.remember('from', String(await answered(at, hosts, tools.signal)));
  await Promise.all(machines.map(async (m) => void ((await m.on()) || (await m.restart()))));
  const end = Date.now() + 1_800_000;
  for (;;) {
    const seen = await clusterSeen(at).catch(() => undefined);
    const lacking = hosts.filter((h) => !seen?.nodes.find((n) => n.name === h)?.ready);
    if (seen && !lacking.length) {
      const ms = Math.max(0, seen.at - Number(memory.knows.from));
      await noteBack(ctx.db.manager, run.subject, lost, ms);
      const before = noted(`lose/${lost}`);
      const copies = await copiesBack(at, asSeen(estate, built, hosts, before), before, {
        on: Number(memory.knows.from),
        ready: seen.at,
        charter: needIn(estate, 'Charter', run.subject),
        tools,
      });
      if (copies) await noteLine(ctx.db.manager, run.subject, lost, copies);
      return `${are(hosts, 'is', 'are')} ready again, after ${secondsText(Math.round(ms / 1000))}${copies?.agrees === false ? '; copies otherwise than rehearsed' : ''}`;
    }
    if (Date.now() > end)
      throw new StepFailure(
        `${are(lacking, 'has power and is', 'have power and are')} not ready after half an hour.`,
        'See the console and the kubelet, then resume.',
      );
    await pause(every, undefined, { signal: tools.signal });
  }
}

/** Looks until all volumes with a copy there have all their copies, or should have; undefined: there is none, or nothing was put down before the loss. */
async function copiesBack(
  at: KubeAt,
  { room, lost }: Pick<ReturnType<typeof forecast>, 'room' | 'lost'>,
  noted: Readonly<Record<string, string>>,
  { on, ready, charter, tools }: { on: number; ready: number; charter: Charter; tools: StepTools },
): Promise<TriedLoss['lines'][number] | undefined> {
  if (!noted.from || !noted.to) return undefined;
  const loss = { from: Number(noted.from), to: Number(noted.to) };
  const e = expectedCopies(room, lost, on - loss.from, ready - loss.from);
  if (!e) return undefined;
  const known = JSON.parse(noted.copies ?? '{}') as Record<string, string[]>;
  const planned = new Set(volumesAsked(charter).flatMap((v) => (known[v.name] ? [`${v.namespace}/${v.claim}`] : [])));
  const until = ready + (e.is ? Math.max(0, e.is.to - (ready - loss.from)) + 10 * minute : minute);
  for (;;) {
    const [time, claims] = await Promise.all([clusterTime(at), claimsSeen(at)]).catch(() => [undefined, []] as const);
    const copies = claims.flatMap((c) => (planned.has(`${c.namespace}/${c.claim}`) ? (c.copies ?? []) : []));
    if (copies.length && copies.every((c) => c.state === 'current')) {
      // One that never missed anything is as old as its host's start.
      const last = Math.max(...copies.map((c) => c.since).filter((s) => s >= loss.from), on);
      return triedLine(e, { from: Math.max(0, last - loss.to), to: last + second - loss.from });
    }
    if (!planned.size || (time !== undefined && time > until)) return triedLine(e, undefined);
    await pause(every, undefined, { signal: tools.signal });
  }
}
