import type { Room, RoomHost, RoomPod, RoomWork } from './room.ts';

export const domainOf = (h: RoomHost, apart: 'host' | 'rack' | 'zone'): string => (apart === 'host' ? h.name : h[apart]);

/** What hosts have, as numbers side by side: a host is looked at thousands of times. */
interface Has {
  cores: Float64Array;
  memoryGiB: Float64Array;
  runs: Uint8Array;
}
const having = new WeakMap<Room['hosts'], Has>();
function hasOf({ hosts }: Room): Has {
  let of = having.get(hosts);
  if (of) return of;
  of = {
    cores: Float64Array.from(hosts, (h) => h.cores),
    memoryGiB: Float64Array.from(hosts, (h) => h.memoryGiB),
    runs: Uint8Array.from(hosts, (h) => (h.runs ? 1 : 0)),
  };
  having.set(hosts, of);
  return of;
}

/** By what hosts can be apart, a number for each host: two with one number share it. One of whom the rack or zone is not known shares it with nobody. */
type Domains = Record<'host' | 'rack' | 'zone', Int32Array>;
const known = new WeakMap<Room['hosts'], Domains>();
export function domainsOf({ hosts }: Room): Domains {
  let of = known.get(hosts);
  if (of) return of;
  const numbers = (apart: 'host' | 'rack' | 'zone') => {
    const names = new Map<string, number>();
    return Int32Array.from(hosts, (h, i) => {
      const name = domainOf(h, apart);
      if (!name) return -1 - i;
      if (!names.has(name)) names.set(name, names.size);
      return names.get(name) as number;
    });
  };
  of = { host: numbers('host'), rack: numbers('rack'), zone: numbers('zone') };
  known.set(hosts, of);
  return of;
}

/** What is used of a room: of each host its cores and memory, and the pods of each workload that it has. */
export interface Used {
  cores: Float64Array;
  memoryGiB: Float64Array;
}
export const usedBy = (room: Room, pods: readonly RoomPod[] = room.pods): Used => {
  const used = { cores: new Float64Array(room.hosts.length), memoryGiB: new Float64Array(room.hosts.length) };
  for (const p of pods) if (p.host >= 0) take(used, p.host, room.works[p.work] as RoomWork, 1);
  return used;
};
export function take(used: Used, host: number, w: RoomWork, times: 1 | -1): void {
  used.cores[host] = (used.cores[host] as number) + times * w.cores;
  used.memoryGiB[host] = (used.memoryGiB[host] as number) + times * w.memoryGiB;
}

/** Small differences of sums of fractions are no lack of room. */
const enough = 1e-9;

/**
 * The host that a pod of a workload is given: one with room, that shares nothing with those of its siblings (`at`) that it is to be apart from, or as few of them as can be;
 * then the one with the most cores free, then the first. -1: none.
 */
export function hostFor(room: Room, w: RoomWork, at: readonly number[], used: Used, up: (host: number) => boolean): number {
  const domain = domainsOf(room)[w.apart ?? 'host'];
  const has = hasOf(room);
  const strict = w.apart !== undefined && w.always;
  let best = -1;
  let bestShared = 0;
  let bestFree = 0;
  for (let i = 0; i < has.runs.length; i++) {
    if (!has.runs[i]) continue;
    const free = (has.cores[i] as number) - (used.cores[i] as number);
    // Most hosts have less free than the best so far: nothing else is looked at.
    if (best >= 0 && bestShared === 0 && free <= bestFree + enough) continue;
    if (free + enough < w.cores || (has.memoryGiB[i] as number) - (used.memoryGiB[i] as number) + enough < w.memoryGiB) continue;
    let shared = 0;
    for (let k = 0; k < at.length; k++) if (domain[at[k] as number] === domain[i]) shared++;
    if (shared && strict) continue;
    if (best >= 0 && (shared > bestShared || (shared === bestShared && free <= bestFree + enough))) continue;
    if (!up(i)) continue;
    best = i;
    bestShared = shared;
    bestFree = free;
  }
  return best;
}

/** Gives every pod its host, workload by workload. */
export function placePods(room: Room): void {
  const used = usedBy(room);
  for (const w of room.works) {
    const at: number[] = [];
    for (const p of w.pods) {
      const pod = room.pods[p] as RoomPod;
      pod.host = hostFor(room, w, at, used, () => true);
      if (pod.host < 0) continue;
      at.push(pod.host);
      take(used, pod.host, w, 1);
    }
  }
}

/**
 * Gives every copy its host: the first where its pod runs, if copies lie there; each further one on the host with the largest share of its room free, that
 * shares nothing that copies of one volume are to be apart from. A local volume lies where its pod runs.
 */
export function placeCopies(room: Room): void {
  const filled = new Float64Array(room.hosts.length);
  const users = new Map<number, number>();
  for (const p of room.pods) for (const v of p.volumes) if (!users.has(v)) users.set(v, p.host);
  for (const [v, volume] of room.volumes.entries()) {
    const at = users.get(v) ?? -1;
    for (const k of volume.copies.keys()) {
      const here = k === 0 && at >= 0 && (volume.kind === 'local' || (room.hosts[at] as RoomHost).volumesGB > 0);
      const host = here
        ? at
        : volume.kind === 'local'
          ? -1
          : storeFor(room, volume.copies.slice(0, k), volume, filled, () => true);
      volume.copies[k] = host;
      if (host >= 0) filled[host] = (filled[host] as number) + volume.sizeGB;
    }
  }
}

/**
 * The host that a further copy of a volume is given, by what is filled already: one that shares nothing with the others, or as little as can be where they may share; then the one with the largest
 * share of its room free. -1: none that is apart enough has room.
 */
export function storeFor(
  room: Room,
  at: readonly number[],
  volume: { sizeGB: number; apart: 'host' | 'rack' | 'zone'; mayShare?: boolean | undefined },
  filled: Float64Array,
  up: (host: number) => boolean,
): number {
  const domain = domainsOf(room)[volume.apart];
  const share = volume.mayShare === true;
  let best = -1;
  let bestShare = -1;
  let bestShared = 0;
  next: for (let n = 0; n < room.stores.length; n++) {
    const i = room.stores[n] as number;
    const all = (room.hosts[i] as RoomHost).volumesGB;
    const left = all - (filled[i] as number);
    // Most have a smaller share free than the best so far, and that shares nothing: nothing else is looked at.
    if (left < volume.sizeGB || (bestShared === 0 && left / all <= bestShare + enough)) continue;
    let shared = 0;
    for (let k = 0; k < at.length; k++) {
      const o = at[k] as number;
      if (o === i || (o >= 0 && domain[o] === domain[i] && !share)) continue next;
      if (share && o >= 0 && domain[o] === domain[i]) shared++;
    }
    if (best >= 0 && (shared > bestShared || (shared === bestShared && left / all <= bestShare + enough))) continue;
    if (!up(i)) continue;
    best = i;
    bestShare = left / all;
    bestShared = shared;
  }
  return best;
}
