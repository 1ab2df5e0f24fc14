import type { TriedLoss } from '../model/observed.ts';
import { counted, secondsText } from '../words/amounts.ts';
import type { Ms, Room } from './room.ts';
import { simulate } from './simulate.ts';

/** Where pods are, as the API of a cluster says: by namespace and name of what they are of. */
export interface SeenPod {
  namespace: string;
  work: string;
  host: string;
}
/** From when to when, in milliseconds after the loss. */
export interface Interval {
  from: Ms;
  to: Ms;
}
/** Something that follows from the loss of a host, with the times between which it is to come. */
export type Expected = Omit<TriedLoss['lines'][number], 'came' | 'agrees'>;

/** Until a controller that looks every so often has seen it (kube-controller-manager, `--node-monitor-period`). */
const looks: Ms = 5000;
/** What an API says of times is to the second: of each of two. */
export const second: Ms = 1000;
export const minute: Ms = 60_000;

/**
 * A room with its pods where they are, and with who answers for its addresses. Workloads that are not in the cluster have none; those that nobody declared are left out.
 *
 * @param leads by address: the host that answers for it, as far as somebody says so
 * @param copies by volume: the hosts with its copies, as far as its driver says so
 * @returns a room of its own, and workloads that were declared and have no pod
 */
export function roomAsSeen(
  room: Room,
  seen: readonly SeenPod[],
  leads: Readonly<Record<string, string>> = {},
  copies: Readonly<Record<string, readonly string[]>> = {},
): { room: Room; absent: string[] } {
  const hosts = new Map(room.hosts.map((h, i) => [h.name, i]));
  const pods: Room['pods'] = [];
  const absent: string[] = [];
  const works = room.works.map((w, work) => {
    const its = seen.filter((s) => s.namespace === w.namespace && s.work === w.name && hosts.has(s.host));
    if (!its.length) absent.push(w.name);
    return {
      ...w,
      // A pod of a StatefulSet has volumes of its own: by its number, as far as there are as many.
      pods: its.map(
        (s, k) => pods.push({ work, host: hosts.get(s.host) as number, volumes: room.pods[w.pods[k] ?? -1]?.volumes ?? [] }) - 1,
      ),
    };
  });
  const addresses = room.addresses.map((a) => {
    const at = hosts.get(leads[a.address] ?? '');
    return at === undefined || !a.hosts.includes(at) ? a : { ...a, hosts: [at, ...a.hosts.filter((h) => h !== at)] };
  });
  const volumes = room.volumes.map((v) => {
    const at = copies[v.name]?.flatMap((h) => hosts.get(h) ?? []);
    return at?.length ? { ...v, copies: at } : v;
  });
  return { room: { ...room, pods, works, addresses, volumes }, absent };
}

/**
 * What is to come when hosts lose their power at one moment, and between which times. The rehearsal takes the longer of what takes between two times; what is known of the shorter one is taken off: a host
 * that was about to renew its lease, and a program that is ready at once.
 *
 * @param lease seconds of the lease that a host renews four times
 */
export function expectedOf(room: Room, hosts: readonly number[], lease: number): Expected[] {
  const o = simulate(room, [{ at: 0, hosts }], false);
  const renewed: Ms = (lease / 4) * 1000;
  const out: Expected[] = [];
  for (const h of hosts)
    if (o.noticed !== undefined)
      out.push({
        what: 'counted',
        name: room.hosts[h]?.name ?? '',
        text: 'counts as lost',
        is: { from: o.noticed - renewed, to: o.noticed + looks },
      });
  for (const w of o.works) {
    const work = room.works[w.work];
    const last = w.ready.at(-1);
    if (!work?.pods.length || !last) continue;
    const whole = last.pods === work.pods.length;
    const volumes = work.pods.flatMap((p) => room.pods[p]?.volumes ?? []);
    const attach = Math.max(0, ...volumes.map((v) => room.volumes[v]?.attach ?? 0));
    out.push({
      what: 'work',
      name: work.name,
      text: whole ? 'all pods ready again' : (w.stuck[0] ?? 'not all pods ready again'),
      ...(whole ? { is: { from: Math.max(0, last.from - renewed - work.ready - attach), to: last.from + looks } } : {}),
    });
  }
  for (const a of o.addresses) {
    const address = room.addresses[a.address];
    if (!address) continue;
    out.push({
      what: 'address',
      name: address.name,
      text: a.longest === undefined ? 'nobody answers' : 'answers again',
      ...(a.longest === undefined ? {} : { is: { from: 0, to: a.longest } }),
    });
  }
  return out;
}

/**
 * When volumes with a copy on a host that was lost have all their copies again, once all hosts are back: not before the last had power, or before another host could have taken one in; and not after
 * everything that it missed was taken in. Undefined: none has.
 *
 * @param on when they were switched on, @param ready and when the last was ready; both after the loss
 */
export function expectedCopies(room: Room, hosts: readonly number[], on: Ms, ready: Ms): Expected | undefined {
  const volumes = room.volumes.flatMap((v, i) => (v.kind === 'copies' && v.copies.some((h) => hosts.includes(h)) ? [i] : []));
  if (!volumes.length) return undefined;
  const o = simulate(room, [{ at: 0, hosts, back: ready + programs }], true);
  const ends = volumes.map((i) => o.volumes.find((v) => v.volume === i)?.degraded.to);
  const elsewhere = Math.min(...volumes.map((i) => (o.noticed ?? 0) + (room.volumes[i]?.rebuild.after ?? 0)));
  const whole = ends.every((e) => e !== undefined);
  return {
    what: 'copies',
    name: counted(volumes.length, 'volume'),
    text: whole ? 'all copies whole again' : 'not all copies whole again',
    ...(whole ? { is: { from: Math.min(on, elsewhere), to: Math.max(...ends.map((e) => e ?? 0)) + looks } } : {}),
  };
}
/** Until the program that keeps copies runs on a host that is ready. */
const programs: Ms = 60_000;

/**
 * Until when it is looked, in milliseconds after the loss: a minute longer than all that is to come, for what is never to come; ten for what is late.
 */
export function looksUntil(list: readonly Expected[]): { never: Ms; late: Ms } {
  const last = Math.max(0, ...list.map((e) => e.is?.to ?? 0));
  return { never: last + minute, late: last + 10 * minute };
}

/** What came beside what was to come. Two intervals that have a moment in common agree; what was never to come agrees where it did not. */
export function triedLine(e: Expected, came: Interval | undefined): TriedLoss['lines'][number] {
  const agrees =
    e.is === undefined || came === undefined
      ? e.is === undefined && came === undefined
      : came.from <= e.is.to && came.to >= e.is.from;
  return { ...e, ...(came ? { came } : {}), agrees };
}

const span = ({ from, to }: Interval): string => {
  const [a, b] = [from, to].map((ms) => secondsText(Math.round(ms / 1000)));
  return a === b ? `${a}` : from <= 0 ? `within ${b}` : `${a} to ${b}`;
};
/** Between which times something comes, in words. */
export const spanText = (i: Interval | undefined, never: string): string => (i ? span(i) : never);
