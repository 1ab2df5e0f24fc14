import { domainOf } from './place.ts';
import type { Ms, Room, RoomHost, RoomService, RoomVolume } from './room.ts';
import { type Loss, type Outcome, simulate } from './simulate.ts';

/** What is lost at once. */
export const sorts = ['host', 'two', 'rack', 'zone', 'feed', 'switch', 'service', 'site'] as const;
export type Sort = (typeof sorts)[number];
export interface Case {
  sort: Sort;
  /** Of a rack, a zone, a feed, a switch, a service: its name; else the hosts. */
  name: string;
  hosts: number[];
  service?: RoomService;
}
/** What tells a case from all others: a zone and a power feed may have one name. */
export const caseTitle = ({ sort, name }: Case): string =>
  sort === 'rack' || sort === 'zone' || sort === 'feed' || sort === 'switch' ? `${sort} ${name}` : name;
/** What a case comes to, as a line of a table. */
export interface Verdict {
  case: Case;
  /** What is away longest, and for how long; undefined: until somebody mends it. None: nothing is. */
  longest: { what: string; ms: Ms | undefined } | undefined;
  /** Volumes of which no copy is left. */
  lost: string[];
  quorum: { left: number; of: number };
  coresLeft: number;
  homeless: number;
  /** No image can be pulled meanwhile. */
  noImages: boolean;
  /** Something does not come back by itself. */
  stays: boolean;
  /** Workloads that are away for longer than their owners accept. */
  over: string[];
  text: string;
}

/** Of so many hosts any two are lost: 4,950 pairs. */
export const mostPaired = 100;
/** Hosts of which any two are lost: all, or those that decide, and then those with most on them. */
export function pairedOf(room: Room): number[] {
  const all = room.hosts.map((_, i) => i);
  if (all.length <= mostPaired) return all;
  const has = new Float64Array(all.length);
  for (const p of room.pods) if (p.host >= 0) has[p.host] = (has[p.host] as number) + 1;
  for (const v of room.volumes) for (const h of v.copies) if (h >= 0) has[h] = (has[h] as number) + 1;
  const members = new Set(room.members);
  return all
    .sort((a, b) => Number(members.has(b)) - Number(members.has(a)) || (has[b] as number) - (has[a] as number) || a - b)
    .slice(0, mostPaired)
    .sort((a, b) => a - b);
}

/** Every loss of one host, of any two (of the first hundred, see `pairedOf`), and of whatever hosts share. */
export function casesOf(room: Room): Case[] {
  const { hosts } = room;
  const all = hosts.map((_, i) => i);
  const paired = pairedOf(room);
  // Who hangs on two switches bears the loss of one.
  const shares = (h: RoomHost, sort: 'rack' | 'zone' | 'feed' | 'switch') =>
    sort === 'switch' ? (h.switches?.length === 1 ? h.switches[0] : undefined) : h[sort];
  const groups = (sort: 'rack' | 'zone' | 'feed' | 'switch'): Case[] => {
    const of = new Map<string, number[]>();
    for (const i of all) {
      const name = shares(hosts[i] as RoomHost, sort);
      if (name) of.set(name, [...(of.get(name) ?? []), i]);
    }
    // What is everything is told as that.
    return [...of].flatMap(([name, list]) => (list.length < hosts.length ? [{ sort, name, hosts: list }] : []));
  };
  const name = (list: number[]) => list.map((i) => hosts[i]?.name ?? '').join(' and ');
  return [
    ...all.map((i): Case => ({ sort: 'host', name: name([i]), hosts: [i] })),
    ...paired.flatMap((i, n) => paired.slice(n + 1).map((k): Case => ({ sort: 'two', name: name([i, k]), hosts: [i, k] }))),
    ...groups('rack'),
    ...groups('zone'),
    ...groups('feed'),
    ...groups('switch'),
    ...(all.length ? (room.services ?? []).map((s): Case => ({ sort: 'service', name: s.name, hosts: [], service: s })) : []),
    ...(all.length ? [{ sort: 'site' as const, name: 'everything', hosts: all }] : []),
  ];
}

/** What is lost in a case, at the beginning. */
export const lossOf = ({ hosts, service }: Case): Loss => ({
  at: 0,
  hosts,
  ...(service?.pulls ? { registry: true } : {}),
  ...(service ? { services: [service.name] } : {}),
});

/** What a case comes to. */
export function verdictOf(room: Room, of: Case, outcome: Outcome = simulate(room, [lossOf(of)], false)): Verdict {
  const longer = (a: Ms | undefined, b: Ms | undefined) => b !== undefined && (a === undefined || a > b);
  let longest: Verdict['longest'];
  const over: string[] = [];
  let stays = false;
  for (const w of outcome.works) {
    const work = room.works[w.work];
    if (!work) continue;
    if (w.away.length && (!longest || longer(w.longest, longest.ms))) longest = { what: work.name, ms: w.longest };
    if (w.stuck.length) stays = true;
    if (work.mayBeAway !== undefined && w.away.length && longer(w.longest, work.mayBeAway)) over.push(work.name);
  }
  for (const a of outcome.addresses) {
    const address = room.addresses[a.address];
    if (address && a.away.length && (!longest || longer(a.longest, longest.ms))) longest = { what: address.name, ms: a.longest };
    if (a.longest === undefined) stays = true;
  }
  const lost = outcome.volumes.flatMap((v) => (v.away ? [(room.volumes[v.volume] as RoomVolume).name] : []));
  const verdict = {
    case: of,
    longest,
    lost,
    quorum: { left: outcome.quorum.left, of: room.members.length },
    coresLeft: outcome.coresLeft,
    homeless: outcome.homeless,
    noImages: (of.service?.pulls ?? false) || of.hosts.includes(room.registry?.host ?? -1),
    stays: stays || lost.length > 0 || outcome.quorum.lost !== undefined,
    over,
  };
  return { ...verdict, text: textOf(verdict) };
}

function textOf(v: Omit<Verdict, 'text'>): string {
  const pods = (n: number) => (n === 1 ? '1 pod finds' : `${n} pods find`);
  const out = [
    ...(v.quorum.of && v.quorum.left * 2 <= v.quorum.of ? ['what runs goes on, and nothing can change'] : []),
    ...(v.lost.length ? [`no copy is left of ${v.lost.length === 1 ? v.lost[0] : `${v.lost.length} volumes`}`] : []),
    ...(v.homeless ? [`${pods(v.homeless)} no place`] : []),
    ...(v.noImages ? ['no image can be pulled: what is started on another host waits'] : []),
    ...(v.case.service?.note ? [v.case.service.note] : []),
    ...(v.over.length ? [`${v.over.join(', ')} away for longer than accepted`] : []),
  ];
  return out.join('; ') || (v.stays ? 'something waits until it is mended' : 'holds');
}

/** From the worst on: what does not come back by itself, what is lost, then by the longest absence. */
export const worstFirst = (a: Verdict, b: Verdict): number =>
  Number(b.quorum.left * 2 <= b.quorum.of) - Number(a.quorum.left * 2 <= a.quorum.of) ||
  b.lost.length - a.lost.length ||
  Number(b.stays) - Number(a.stays) ||
  b.homeless - a.homeless ||
  (b.longest ? (b.longest.ms ?? Number.MAX_VALUE) : 0) - (a.longest ? (a.longest.ms ?? Number.MAX_VALUE) : 0) ||
  a.case.hosts.length - b.case.hosts.length ||
  (a.case.name < b.case.name ? -1 : 1);

/** Every case with what it comes to, worst first. */
export const rehearseAll = (room: Room): Verdict[] =>
  casesOf(room)
    .map((c) => verdictOf(room, c))
    .sort(worstFirst);

/** Workloads and volumes of which several share what a case takes: what the worst cases have in common. */
export function inCommon(room: Room, list: readonly Verdict[]): { what: string; share: number }[] {
  const bad = list.filter((v) => v.stays);
  if (bad.length < 2) return [];
  const of = new Map<string, number>();
  for (const v of bad)
    for (const name of new Set(
      v.case.hosts.flatMap((i) => {
        const h = room.hosts[i];
        return h ? [h.name, ...(['rack', 'zone'] as const).map((by) => domainOf(h, by) && `${by} ${domainOf(h, by)}`)] : [];
      }),
    ))
      if (name) of.set(name, (of.get(name) ?? 0) + 1);
  return [...of]
    .map(([what, n]) => ({ what, share: n / bad.length }))
    .sort((a, b) => b.share - a.share || (a.what < b.what ? -1 : 1))
    .slice(0, 5);
}
