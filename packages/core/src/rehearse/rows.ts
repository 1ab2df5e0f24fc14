import { secondsText } from '../words/amounts.ts';
import { drift, type Ms, type Room, type RoomVolume } from './room.ts';
import type { Loss, Outcome } from './simulate.ts';

/** A part of a line in time: `away`: nothing answers; `less`: less than there is to be; `good`. */
export interface RehearsedPart {
  from: Ms;
  /** Undefined: until somebody mends it. */
  to: Ms | undefined;
  is: 'good' | 'less' | 'away';
  text: string;
}
/** Something of a cluster over time, after a loss. */
export interface RehearsedRow {
  title: string;
  about: string;
  parts: RehearsedPart[];
  /** What it comes to, in a few words. */
  sum: string;
  bad: boolean;
}

/** How long something is away; undefined: until somebody mends it. */
export const awayText = (ms: Ms | undefined): string =>
  ms === undefined ? 'until mended' : secondsText(Math.round(ms / 100) / 10);

/** What happens, as lines in time: who decides, each workload that is hit, each address, the volumes, the data. */
export function rowsOf(room: Room, o: Outcome): RehearsedRow[] {
  const rows: RehearsedRow[] = [];
  const { quorum } = o;
  const parts: RehearsedPart[] = quorum.lost
    ? [
        {
          from: quorum.lost.from,
          to: quorum.lost.to,
          is: 'away',
          text: `${quorum.left} of ${room.members.length}: nothing can change`,
        },
      ]
    : o.noticed === undefined
      ? [{ from: 0, to: undefined, is: 'good', text: 'it sees no host missing' }]
      : [
          { from: 0, to: o.noticed, is: 'less', text: 'not noticed' },
          { from: o.noticed, to: undefined, is: 'good', text: 'counts as lost' },
        ];
  rows.push({
    title: 'control plane',
    about: `${quorum.left} of ${room.members.length} members`,
    parts,
    sum: quorum.lost ? awayText(quorum.lost.to === undefined ? undefined : quorum.lost.to - quorum.lost.from) : 'decides',
    bad: quorum.lost !== undefined,
  });
  for (const w of o.works) {
    const work = room.works[w.work];
    if (!work) continue;
    const of = work.pods.length;
    const places = [...new Set(w.movedTo.map((h) => room.hosts[h]?.name ?? ''))];
    const why = (r: { pods: number }, last: boolean) =>
      last && r.pods < of && w.stuck.length
        ? `: ${w.stuck[0]}`
        : last && r.pods && places.length
          ? `, on ${places.join(', ')}`
          : '';
    rows.push({
      title: work.name,
      about: of === 1 ? '1 replica' : `${of} replicas`,
      parts: w.ready.map((r, i) => ({
        from: r.from,
        to: w.ready[i + 1]?.from,
        is: r.pods === 0 ? 'away' : r.pods < of ? 'less' : 'good',
        text: `${r.pods} of ${of}${why(r, w.ready[i + 1] === undefined)}`,
      })),
      sum: w.away.length ? awayText(w.longest) : 'never away',
      bad: w.longest === undefined || w.away.length > 0,
    });
  }
  for (const a of o.addresses) {
    const address = room.addresses[a.address];
    if (!address) continue;
    const last = a.away.at(-1);
    rows.push({
      title: address.address,
      about: `${address.name}, by ${address.by === 'bgp' ? 'BGP' : address.by === 'arp' ? 'ARP' : 'VRRP'}`,
      parts: [
        ...a.away.map(
          (s): RehearsedPart =>
            address.by === 'bgp' && s.to !== undefined
              ? { from: s.from, to: s.to, is: 'less', text: 'connections over what is lost' }
              : { from: s.from, to: s.to, is: 'away', text: 'nobody answers' },
        ),
        ...(last?.to === undefined
          ? []
          : [
              {
                from: last.to,
                to: undefined,
                is: 'good' as const,
                text: address.by === 'bgp' ? 'over the others' : `answered by ${room.hosts[a.by]?.name ?? 'others'}`,
              },
            ]),
      ],
      sum: awayText(a.longest),
      bad: a.longest === undefined,
    });
  }
  const degraded = o.volumes.filter((v) => !v.away);
  if (degraded.length) {
    const end = degraded.some((v) => v.degraded.to === undefined)
      ? undefined
      : Math.max(...degraded.map((v) => v.degraded.to as number));
    const why = degraded.find((v) => v.degraded.to === undefined)?.why;
    rows.push({
      title: 'volumes',
      about: `${degraded.length} with a copy less`,
      parts: [
        { from: 0, to: end, is: 'less', text: why ?? 'a copy is made anew' },
        ...(end === undefined ? [] : [{ from: end, to: undefined, is: 'good' as const, text: 'whole again' }]),
      ],
      sum: awayText(end),
      bad: end === undefined,
    });
  }
  const away = o.volumes.filter((v) => v.away);
  const names = away.map((v) => (room.volumes[v.volume] as RoomVolume).name);
  rows.push({
    title: 'data',
    about: away.length ? `${away.length} of ${room.volumes.length} volumes` : `${room.volumes.length} volumes`,
    parts: [
      {
        from: 0,
        to: undefined,
        is: away.length ? 'away' : 'good',
        text: away.length
          ? `no copy left: ${names.slice(0, 4).join(', ')}${names.length > 4 ? ' …' : ''}`
          : 'a copy of everything is left',
      },
    ],
    sum: away.length ? 'lost if the hosts are' : 'none lost',
    bad: away.length > 0,
  });
  return rows;
}

/** Clocks that are further apart than this are told by etcd as a fault ("the clock difference against peer is too high"). */
const apart: Ms = 1000;

/**
 * What is missed over time of services that are away: names and images at once, the time when clocks have gone apart. Two clocks may go wrong in opposite ways.
 *
 * @param losses each with the services that it takes
 */
export const serviceRows = (room: Room, losses: readonly Loss[]): RehearsedRow[] =>
  losses.flatMap((l) =>
    (l.services ?? []).flatMap((name): RehearsedRow[] => {
      const service = room.services?.find((s) => s.name === name);
      if (!service) return [];
      const { at, back } = l;
      const again = (text: string): RehearsedPart[] =>
        back === undefined ? [] : [{ from: back, to: undefined, is: 'good', text }];
      if (service.gives !== 'time')
        return [
          {
            title: service.gives,
            about: name,
            parts: [
              {
                from: at,
                to: back,
                is: 'away',
                text:
                  service.gives === 'names' ? 'none is found but those that somebody has asked for lately' : 'none can be pulled',
              },
              ...again(service.gives === 'names' ? 'found again' : 'pulled again'),
            ],
            sum: awayText(back === undefined ? undefined : back - at),
            bad: back === undefined,
          },
        ];
      const from = at + Math.round(apart / (2 * drift));
      const goes = back === undefined || back > from;
      return [
        {
          title: 'clocks',
          about: 'of all hosts, by themselves',
          parts: [
            { from: at, to: goes ? from : back, is: 'good', text: 'less than 1 s apart' },
            ...(goes
              ? [
                  {
                    from,
                    to: back,
                    is: 'less' as const,
                    text: 'more than 1 s apart: etcd warns, and logs cannot be laid beside each other',
                  },
                ]
              : []),
            ...again('set right again'),
          ],
          sum: goes ? `1 s apart after ${awayText(from - at)}` : 'never 1 s apart',
          bad: false,
        },
      ];
    }),
  );
