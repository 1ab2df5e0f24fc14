import { type Around, type Fitness, fitnessFor, isFree, judgeOf } from '../hosts/fitness.ts';
import { baselineOf } from '../hosts/firmware.ts';
import type { Charter, ClusterRole, Host } from '../model/documents.ts';
import { byName } from '../model/estate.ts';
import { estateAt, type View } from '../reading/index.ts';
import { heldPool, type Pool, poolsOf } from './pools.ts';
import { Shares } from './share.ts';
import { type Spread, spreadOf, widest } from './spread.ts';

export interface Chosen {
  host: Host;
  role: ClusterRole;
  pool: string;
  why: string;
  kept: boolean;
}
export interface Placement {
  chosen: Chosen[];
  notChosen: { host: string; why: string }[];
  short: { role: ClusterRole; pool: string; wanted: number; found: number; path: (string | number)[] }[];
  /** Of the control plane: how many zones, racks and power feeds it uses of those that it could. */
  spread: Spread[];
}

/** Said of a host that could have been chosen. */
export const fits = 'fits, not needed';

/** Why a host cannot be in a pool of this charter, or undefined when it can. */
function hindrance(
  host: Host,
  pool: Pool,
  charter: Charter,
  judge: (h: Host, role: ClusterRole) => Fitness[],
  around: (h: Host) => Around,
): string | undefined {
  const { facts } = host;
  if (!facts) return 'its facts have not been read';
  if (charter.except?.includes(host.name)) return 'not to be chosen, by the charter';
  if (!isFree(host, charter.name)) return host.held ? `held for ${host.held.charter}` : `it is ${host.state}`;
  if (facts.arch !== pool.arch) return `it is ${facts.arch}, ${pool.arch} is asked`;
  if (pool.from === 'metal' && host.guest) return 'it is a guest, a machine is asked';
  if (pool.from === 'guests' && !host.guest) return 'it is a machine, a guest is asked';
  if (pool.mould && host.guest?.mould !== pool.mould)
    return host.guest
      ? `it is cast from ${host.guest.mould}, ${pool.mould} is asked`
      : `it is a machine, a guest of ${pool.mould} is asked`;
  if (pool.zones && !pool.zones.includes(host.zone ?? '')) return `zone ${host.zone ?? 'none'}: ${pool.zones.join(' or ')} asked`;
  const reason = judge(host, pool.role)[0]?.reasons[0];
  if (reason) return reason;
  if (facts.cores < pool.minCores) return `cores: ${facts.cores}, ${pool.minCores} asked by the charter`;
  if (facts.memoryGiB < pool.minMemoryGiB) return `memory: ${facts.memoryGiB} GiB, ${pool.minMemoryGiB} GiB asked by the charter`;
  if (!pool.needs.length) return undefined;
  const [more] = fitnessFor(facts, { needs: [...pool.needs], name: 'worker', title: '' } as never, around(host)).reasons;
  return more && `${more} by the charter`;
}

/**
 * Hosts for each pool. Named hosts are taken as named, and by no other pool; hosts that are held stay where they are; the rest are chosen
 * over distinct zones, then racks, then power feeds, then with the least left over, then by lowest name. Deterministic. The control
 * plane is exact in zones, racks and feeds wherever the combinations can be looked at; how far it may be from the best is in `spread`.
 */
export function place(charter: Charter, view: View): Placement {
  const here = view
    .by('Host', 'site', charter.site)
    .filter((h) => h.state !== 'retired' && h.state !== 'sighted')
    .sort(byName);
  const site = estateAt(view, charter.site);
  const judge = judgeOf(site);
  const around = (h: Host): Around => ({
    baseline: h.facts && baselineOf(h.facts, site.baselines),
    networks: site.networks,
  });
  const pools = poolsOf(charter);
  const namedFor = new Map(pools.flatMap((p) => p.hosts.map((h) => [h, p.name] as const)));
  const chosen: Chosen[] = [];
  const short: Placement['short'] = [];
  const refused = new Map<string, string>();
  const taken = new Set<string>();
  let spread: Spread[] = [];

  const heldHere = (h: Host) => h.held?.charter === charter.name;
  /** For each pool, who could be in it. */
  const fit = pools.map((pool) =>
    here.filter((h) => {
      const elsewhere = namedFor.get(h.name);
      const why = elsewhere && elsewhere !== pool.name ? `named for ${elsewhere}` : hindrance(h, pool, charter, judge, around);
      if (why) refused.set(h.name, why);
      return !why;
    }),
  );
  const shares = new Shares(
    fit.map((hosts, i) => {
      const pool = pools[i] as Pool;
      return hosts.filter((h) => (pool.hosts.length ? pool.hosts.includes(h.name) : !heldElsewhere(h, pool, charter)));
    }),
    pools.map((p) => p.count),
  );

  const fill = (pool: Pool, at: number) => {
    const { role, count } = pool;
    const mine: Chosen[] = [];
    const take = (host: Host, why: string, kept: boolean) => {
      mine.push({ host, role, pool: pool.name, why, kept });
      taken.add(host.name);
      shares.take(host.name, at);
    };
    const able = (fit[at] ?? []).filter((h) => !taken.has(h.name));
    for (const name of pool.hosts) {
      const host = able.find((h) => h.name === name);
      if (host && mine.length < count) take(host, 'named in the charter', heldHere(host));
    }
    for (const host of able)
      if (mine.length < count && !taken.has(host.name) && host.held && heldHere(host) && heldPool(host.held) === pool.name)
        take(host, 'held for this charter since an earlier revision', true);
    const open = able.filter((h) => !taken.has(h.name) && !heldElsewhere(h, pool, charter));
    const often = (pick: (h: Host) => string | undefined) => {
      const counts = new Map<string | undefined, number>();
      for (const m of mine) counts.set(pick(m.host), (counts.get(pick(m.host)) ?? 0) + 1);
      return (h: Host) => counts.get(pick(h)) ?? 0;
    };
    const before = [...mine];
    while (mine.length < count && !pool.hosts.length) {
      const kind = shares.harmless(at);
      const [zones, racks, feeds] = [often((h) => h.zone), often((h) => h.rack), often((h) => h.feed)];
      const left = open.filter((h) => !taken.has(h.name));
      // Whom another pool cannot do without is left to it, where there is somebody else.
      const harmless = left.filter((h) => kind(h.name));
      let best: Host | undefined;
      for (const h of harmless.length ? harmless : left) {
        const less =
          best &&
          (zones(h) - zones(best) ||
            racks(h) - racks(best) ||
            feeds(h) - feeds(best) ||
            weight(h) - weight(best) ||
            byName(h, best));
        if (less === undefined || less < 0) best = h;
      }
      if (!best) break;
      const shared = zones(best);
      take(best, shared ? again(best) : notYet(best), false);
    }
    if (role === 'control-plane') {
      const among = [...before.map((m) => m.host), ...open];
      spread = spreadOf(
        mine.map((m) => m.host),
        among,
      );
      // Taken one after the other, the first can stand in the way of the last: where that may be, all are looked at together.
      const wider =
        !pool.hosts.length && mine.length === count && spread.some((s) => s.used < s.atMost)
          ? widest(
              among,
              count,
              before.map((m) => m.host),
              weight,
            )
          : undefined;
      if (wider && better(spreadOf(wider, among), spread)) {
        const reached = shares.reach();
        const greedy = [...mine];
        const undo = () => {
          for (const m of mine) {
            taken.delete(m.host.name);
            shares.giveBack(m.host.name, at);
          }
          mine.length = 0;
        };
        undo();
        const zones = new Set<string | undefined>();
        for (const h of wider) {
          const old = before.find((m) => m.host === h);
          take(h, old ? old.why : zones.has(h.zone) ? again(h) : notYet(h), old?.kept ?? false);
          zones.add(h.zone);
        }
        if (shares.reach() < reached) {
          // Wider, and another pool would lack a host for it.
          undo();
          for (const m of greedy) take(m.host, m.why, m.kept);
        } else spread = spreadOf(wider, among);
      }
    }
    if (mine.length < count)
      short.push({ role, pool: pool.name, wanted: count, found: mine.length, path: [...pool.path, 'count'] });
    chosen.push(...mine);
  };

  pools.forEach(fill);
  const notChosen = here.filter((h) => !taken.has(h.name)).map((h) => ({ host: h.name, why: refused.get(h.name) ?? fits }));
  return { chosen, notChosen, short, spread };
}

const again = (h: Host) => `zone ${h.zone} again: no unused zone has a host that fits`;
const notYet = (h: Host) => `zone ${h.zone ?? '?'} not used yet; least left over of those that fit there`;
const better = (a: readonly Spread[], b: readonly Spread[]) => {
  const at = a.findIndex((s, i) => s.used !== b[i]?.used);
  return at >= 0 && (a[at]?.used ?? 0) > (b[at]?.used ?? 0);
};
/** A host held for this charter in one pool is not quietly given to another. */
const heldElsewhere = (h: Host, pool: Pool, charter: Charter) =>
  h.held?.charter === charter.name && heldPool(h.held) !== pool.name;
const weight = (h: Host) => (h.facts?.cores ?? 0) * 4 + (h.facts?.memoryGiB ?? 0);
