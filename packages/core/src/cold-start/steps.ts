import type { Host } from '../model/documents.ts';
import type { Step } from '../schedule/steps.ts';
import type { ColdStart, StartRow } from './order.ts';
import type { PartKind } from './part.ts';

/** What is done to parts of a site from here: hosts go on and off, and of others it is seen that they answer. */
export interface SitePower {
  steps: Step[];
  /** Parts that nobody here can switch or ask: they are seen to in the room. */
  byHand: string[];
}
/** Who switches a host: this installation, people in the room, or nobody, since nothing runs on it. */
export type Switched = 'here' | 'by hand' | 'not';
export function switchedBy(hosts: readonly Host[]): (name: string) => Switched {
  const known = new Map(hosts.map((h) => [h.name, h]));
  return (name) => {
    const h = known.get(name);
    // One that a cluster is only planned on has nothing that waits for it.
    if (h && h.state !== 'serving') return 'not';
    return h?.guest !== undefined || h?.bmc?.fingerprint !== undefined ? 'here' : 'by hand';
  };
}
/** Parts that say themselves whether they are up. */
const answer: ReadonlySet<PartKind> = new Set(['names', 'time', 'registry', 'control-plane', 'nodes']);
/** Parts that are there when what they stand on is: nobody has to do anything for them. */
const follow: ReadonlySet<PartKind> = new Set(['storage', 'services', 'work', 'link']);

const nameOf = (row: StartRow) => row.id.slice(row.kind.length + 1);
const idle = (row: StartRow, by: (host: string) => Switched) => row.kind === 'host' && by(nameOf(row)) === 'not';
const stepOf = (
  kind: 'on' | 'off' | 'answers',
  row: StartRow,
  title: string,
  after: string[],
  seconds: number,
  site: string,
): Step => ({
  id: `${kind}/${row.id}`,
  lane: row.title,
  ...(row.kind === 'host' ? { host: nameOf(row) } : {}),
  kind,
  title,
  after,
  p50: Math.max(1, seconds),
  p90: Math.max(1, seconds) * 3,
  model: site,
});

/**
 * Steps that start a site: a host is switched on when what it waits for is up, and what answers is asked until it does. A need that is met by some of several waits for those that are up first.
 *
 * @param by who switches a host
 */
export function startSteps(all: ColdStart, site: string, by: (host: string) => Switched): SitePower {
  const rows = new Map(all.parts.map((r) => [r.id, r]));
  const acts = (r: StartRow) => answer.has(r.kind) || (r.kind === 'host' && by(nameOf(r)) === 'here');
  const known = new Map<string, string[]>();
  /** Steps after which a part is there: its own, or those of what it stands on. */
  const there = (id: string): string[] => {
    const row = rows.get(id);
    if (!row) return [];
    if (acts(row)) return [`${row.kind === 'host' ? 'on' : 'answers'}/${id}`];
    const found = known.get(id);
    if (found) return found;
    known.set(id, []);
    const out = needed(row);
    known.set(id, out);
    return out;
  };
  const needed = (row: StartRow): string[] => [
    ...new Set(
      row.needs.flatMap((n) =>
        [...n.any]
          .sort((a, b) => (rows.get(a)?.up ?? 0) - (rows.get(b)?.up ?? 0) || (a < b ? -1 : 1))
          .slice(0, n.of)
          .flatMap(there),
      ),
    ),
  ];
  return {
    steps: all.parts.flatMap((r) =>
      acts(r)
        ? [
            r.kind === 'host'
              ? stepOf('on', r, 'switch it on', needed(r), 5, site)
              : stepOf('answers', r, 'wait until it answers', needed(r), r.takes, site),
          ]
        : [],
    ),
    byHand: all.parts.flatMap((r) => (acts(r) || follow.has(r.kind) || idle(r, by) ? [] : [r.title])),
  };
}

/**
 * Steps that stop a site: hosts are shut down in the order of a planned stop, each when all of those before it are off. One that does not go off keeps what it stands on.
 */
export function stopSteps(all: ColdStart, site: string, by: (host: string) => Switched): SitePower {
  const hosts = all.parts.filter((r) => r.kind === 'host' && by(nameOf(r)) === 'here');
  const turns = [...new Set(hosts.map((r) => r.stopBegins))].sort((a, b) => a - b);
  const at = (turn: number | undefined) => hosts.filter((r) => r.stopBegins === turn).map((r) => `off/${r.id}`);
  return {
    steps: turns.flatMap((turn, i) =>
      hosts
        .filter((r) => r.stopBegins === turn)
        .map((r) => stepOf('off', r, 'shut it down', i ? at(turns[i - 1]) : [], r.stopped - r.stopBegins, site)),
    ),
    byHand: all.parts.flatMap((r) =>
      (r.kind === 'host' && by(nameOf(r)) === 'here') || follow.has(r.kind) || answer.has(r.kind) || idle(r, by) ? [] : [r.title],
    ),
  };
}
