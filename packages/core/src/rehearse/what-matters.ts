import type { Plan } from '../charter/plan.ts';
import { resolve } from '../charter/resolve.ts';

import { applyEdits, type Edit } from '../model/edit.ts';
import type { Estate } from '../model/estate.ts';
import { casesOf, verdictOf } from './cases.ts';
import { type Ms, roomOf } from './room.ts';

/** A change of the charter that was tried in the rehearsal of every single host. */
export interface Tried {
  label: string;
  edits: Edit[];
  /** What it costs. */
  cost: string;
  /** Longest absence of anything that comes back by itself, and of all together, before and with it. */
  before: { longest: Ms; sum: Ms; stays: number };
  after: { longest: Ms; sum: Ms; stays: number };
}

function measured(plan: Plan): Tried['before'] {
  const room = roomOf(plan);
  const out = { longest: 0, sum: 0, stays: 0 };
  for (const c of casesOf(room).filter((x) => x.sort === 'host')) {
    const v = verdictOf(room, c);
    if (v.stays) out.stays++;
    const ms = v.longest?.ms ?? 0;
    out.longest = Math.max(out.longest, ms);
    out.sum += ms;
  }
  return out;
}

/** Which timer or way of placing matters most: each is tried, and all single hosts rehearsed again; the greatest gain first. */
export function whatMatters(plan: Plan, estate: Estate): Tried[] {
  const { charter, timers } = plan;
  const set = (path: (string | number)[], value: unknown): Edit => ({
    op: 'set',
    kind: 'Charter',
    key: charter.name,
    path,
    value,
  });
  const works = charter.workloads ?? [];
  const options: Pick<Tried, 'label' | 'edits' | 'cost'>[] = [
    ...(timers.tolerate > 30
      ? [
          {
            label: `Move pods after 30 s instead of ${timers.tolerate} s`,
            edits: [set(['timers', 'tolerate'], 30)],
            cost: `a link that drops for longer than ${timers.grace + 30} s moves them needlessly`,
          },
        ]
      : []),
    ...(timers.lease > 20
      ? [
          {
            label: 'Renew leases of 20 s, and count a host as lost after 25 s',
            edits: [set(['timers', 'lease'], 20), set(['timers', 'grace'], 25)],
            cost: 'hosts write to the API twice as often',
          },
        ]
      : []),
    ...(works.some((w) => w.replicas === 1 && !w.volumes?.length)
      ? [
          {
            label: 'Two replicas, on two hosts, of what has one and no volume',
            edits: [
              set(
                ['workloads'],
                works.map((w) => (w.replicas === 1 && !w.volumes?.length ? { ...w, replicas: 2, apart: w.apart ?? 'host' } : w)),
              ),
            ],
            cost: `${works.filter((w) => w.replicas === 1 && !w.volumes?.length).reduce((n, w) => n + w.cores, 0)} cores more`,
          },
        ]
      : []),
    ...(works.some((w) => w.replicas > 1 && !w.apart)
      ? [
          {
            label: 'Keep replicas on different hosts',
            edits: [
              set(
                ['workloads'],
                works.map((w) => (w.replicas > 1 && !w.apart ? { ...w, apart: 'host' } : w)),
              ),
            ],
            cost: 'a host must be free for each',
          },
        ]
      : []),
  ];
  if (!options.length) return [];
  const before = measured(plan);
  return options
    .map((o): Tried => {
      const then = applyEdits(estate, o.edits);
      const own = then.charters.find((c) => c.name === charter.name) ?? charter;
      return { ...o, before, after: measured(resolve(own, then)) };
    })
    .filter((t) => t.after.stays < before.stays || t.after.sum < before.sum)
    .sort((a, b) => a.after.stays - b.after.stays || a.after.sum - b.after.sum);
}
