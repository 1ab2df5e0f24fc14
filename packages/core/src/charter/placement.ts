import { type Fitness, isFree, judgeOf } from '../hosts/fitness.ts';
import type { Charter, ClusterRole, Host } from '../model/documents.ts';
import { byName } from '../model/estate.ts';
import { estateAt, type View } from '../reading/index.ts';

export interface Chosen {
  host: Host;
  role: ClusterRole;
  why: string;
  kept: boolean;
}
export interface Placement {
  chosen: Chosen[];
  notChosen: { host: string; why: string }[];
  short: { role: ClusterRole; wanted: number; found: number; path: string[] }[];
}

/** Said of a host that could have been chosen. */
export const fits = 'fits, not needed';

/** Why a host cannot take a role under this charter, or undefined when it can. */
function hindrance(host: Host, role: ClusterRole, charter: Charter, judge: (h: Host) => Fitness[]): string | undefined {
  const facts = host.facts;
  if (!facts) return 'its facts have not been read';
  if (!isFree(host, charter.name)) return host.held ? `held for ${host.held.charter}` : `it is ${host.state}`;
  if (facts.arch !== charter.arch) return `it is ${facts.arch}, the charter asks ${charter.arch}`;
  const reason = judge(host).find((f) => f.role === role)?.reasons[0];
  if (reason) return reason;
  if (role === 'worker' && facts.cores < (charter.workers.minCores ?? 0))
    return `cores: ${facts.cores}, ${charter.workers.minCores} asked by the charter`;
  if (role === 'worker' && facts.memoryGiB < (charter.workers.minMemoryGiB ?? 0))
    return `memory: ${facts.memoryGiB} GiB, ${charter.workers.minMemoryGiB} GiB asked by the charter`;
  return undefined;
}

/**
 * Hosts for each role. Named hosts are taken as named; hosts already held stay; the rest are chosen over
 * distinct zones, then racks, then with the least left over, then by lowest name. Deterministic.
 */
export function place(charter: Charter, view: View): Placement {
  const here = view
    .by('Host', 'site', charter.site)
    .filter((h) => h.state !== 'retired' && h.state !== 'sighted')
    .sort(byName);
  const judge = judgeOf(estateAt(view, charter.site));
  const chosen: Chosen[] = [];
  const short: Placement['short'] = [];
  const refused = new Map<string, string>();
  const taken = new Set<string>();

  const fill = (role: ClusterRole, count: number, named: string[] | undefined, path: string[]) => {
    const mine: Chosen[] = [];
    const take = (host: Host, why: string, kept: boolean) => {
      mine.push({ host, role, why, kept });
      taken.add(host.name);
    };
    const able = here.filter((h) => {
      if (taken.has(h.name)) return false;
      const why = hindrance(h, role, charter, judge);
      if (why) refused.set(h.name, why);
      return !why;
    });
    for (const name of named ?? []) {
      const host = able.find((h) => h.name === name);
      if (host && mine.length < count) take(host, 'named in the charter', host.held?.charter === charter.name);
    }
    for (const host of able)
      if (mine.length < count && !taken.has(host.name) && host.held?.charter === charter.name && host.held.role === role)
        take(host, 'held for this charter since an earlier revision', true);
    const often = (pick: (h: Host) => string | undefined) => {
      const counts = new Map<string | undefined, number>();
      for (const m of mine) counts.set(pick(m.host), (counts.get(pick(m.host)) ?? 0) + 1);
      return (h: Host) => counts.get(pick(h)) ?? 0;
    };
    while (mine.length < count && !named?.length) {
      const [zones, racks] = [often((h) => h.zone), often((h) => h.rack)];
      let best: Host | undefined;
      for (const h of able) {
        if (taken.has(h.name) || reservedForOther(h, role, charter)) continue;
        const less = best && (zones(h) - zones(best) || racks(h) - racks(best) || weight(h) - weight(best) || byName(h, best));
        if (less === undefined || less < 0) best = h;
      }
      if (!best) break;
      const shared = zones(best);
      take(
        best,
        shared
          ? `zone ${best.zone} again: no unused zone has a host that fits`
          : `zone ${best.zone ?? '?'} not used yet; least left over of those that fit there`,
        false,
      );
    }
    if (mine.length < count) short.push({ role, wanted: count, found: mine.length, path });
    chosen.push(...mine);
  };

  fill('control-plane', charter.controlPlane.count, charter.controlPlane.hosts, ['controlPlane', 'count']);
  fill('worker', charter.workers.count, charter.workers.hosts, ['workers', 'count']);
  const notChosen = here.filter((h) => !taken.has(h.name)).map((h) => ({ host: h.name, why: refused.get(h.name) ?? fits }));
  return { chosen, notChosen, short };
}

/** A host held for this charter in one role is not quietly given the other. */
const reservedForOther = (h: Host, role: ClusterRole, charter: Charter) =>
  h.held?.charter === charter.name && h.held.role !== role;
const weight = (h: Host) => (h.facts?.cores ?? 0) * 4 + (h.facts?.memoryGiB ?? 0);
