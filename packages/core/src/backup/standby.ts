import type { Charter } from '../model/documents.ts';
import type { Standby } from '../model/backup.ts';
import type { Estate } from '../model/estate.ts';
import type { SeenBackups } from '../model/observed.ts';
import { type AskedVolume, type Covered, volumesAsked } from './plans.ts';

/** A volume of the other cluster, and the one here that holds what its backups hold. */
export interface StandbyPair {
  here: AskedVolume;
  there: AskedVolume;
}
/** Volumes of a standby copy by what they are called: `data-0` here is kept from `data-0` there. */
export interface StandbyVolumes {
  pairs: StandbyPair[];
  /** Volumes of either side that the other one lacks, as `tern has timetable-db/data, gannet has not`. */
  unmatched: string[];
  /** Volumes here that are smaller than what comes into them. */
  small: StandbyPair[];
}
const short = (v: AskedVolume): string => v.name.slice(v.workload.length + 1);

/** @param there the cluster that it is of */
export function standbyVolumes(here: Charter, standby: Standby, there: Charter): StandbyVolumes {
  const own = volumesAsked(here).filter((v) => v.workload === standby.workload);
  const its = volumesAsked(there).filter((v) => v.workload === standby.of);
  const pairs = own.flatMap((v) => {
    const other = its.find((o) => short(o) === short(v));
    return other ? [{ here: v, there: other }] : [];
  });
  const alone = (of: readonly AskedVolume[], side: 'here' | 'there', has: string, lacks: string) =>
    of.flatMap((v) => (pairs.some((p) => p[side] === v) ? [] : [`${has} has ${v.name}, ${lacks} has none for it`]));
  return {
    pairs,
    unmatched: [...alone(its, 'there', there.name, here.name), ...alone(own, 'here', here.name, there.name)],
    small: pairs.filter((p) => p.here.sizeGB < p.there.sizeGB),
  };
}

const hour = 3_600_000;
/** Of a standby copy: how old what it holds may be, in milliseconds, as its charter says; else as the plan of the other cluster comes out, and an hour for what is under way. */
export function mayLagMs(standby: Standby, pairs: readonly StandbyPair[], covered: readonly Covered[]): number | undefined {
  if (standby.mayLag !== undefined) return standby.mayLag * 1000;
  const loses = pairs.flatMap((p) => covered.find((c) => c.name === p.there.name)?.loses ?? []);
  return loses.length ? Math.max(...loses) + hour : undefined;
}

/** The newest backup that all of these volumes have: the oldest of the newest ones; undefined: one of them has none. */
export function newestOfAll(pairs: readonly StandbyPair[], seen: SeenBackups | undefined): string | undefined {
  const each = pairs.map((p) => seen?.volumes[p.there.name]?.at);
  return each.length && each.every((at) => at !== undefined) ? (each as string[]).sort()[0] : undefined;
}

/** A standby copy, with what it holds. */
export interface StandbyRow {
  /** The cluster that keeps it. */
  charter: string;
  site: string;
  standby: Standby;
  volumes: string[];
  sizeGB: number;
  state: 'follows' | 'active';
  /** Of when the oldest of its volumes is; undefined: it holds nothing yet. */
  holds: string | undefined;
  /** The newest backup of the other cluster. */
  newest: string | undefined;
  /** What would be lost if it were activated now and the other cluster were gone: the age of what it holds, in milliseconds. */
  lag: number | undefined;
  mayLag: number | undefined;
  fault: string | undefined;
  since: string | undefined;
  by: string | undefined;
  /** What ran at the other cluster has been ended there. */
  ended: boolean;
}

/** Standby copies that a charter keeps, or of its own workloads where `of`. */
export function standbysOf(
  estate: Pick<Estate, 'charters' | 'now' | 'observed'>,
  name: string,
  covered: (charter: Charter) => readonly Covered[],
  of = false,
): StandbyRow[] {
  return estate.charters.flatMap((c) =>
    (c.standbys ?? []).flatMap((standby): StandbyRow[] => {
      if ((of ? standby.cluster : c.name) !== name) return [];
      const there = estate.charters.find((x) => x.name === standby.cluster);
      const pairs = there ? standbyVolumes(c, standby, there).pairs : [];
      const seen = estate.observed.backups[c.name]?.standbys?.[standby.workload];
      return [
        {
          charter: c.name,
          site: c.site,
          standby,
          volumes: pairs.map((p) => p.here.name),
          sizeGB: pairs.reduce((sum, p) => sum + p.here.sizeGB, 0),
          state: seen?.state ?? 'follows',
          holds: seen?.holds,
          newest: newestOfAll(pairs, estate.observed.backups[standby.cluster]),
          lag: seen?.holds === undefined ? undefined : Date.parse(estate.now) - Date.parse(seen.holds),
          mayLag: there && mayLagMs(standby, pairs, covered(there)),
          fault: seen?.fault,
          since: seen?.since,
          by: seen?.by,
          ended: seen?.ended ?? false,
        },
      ];
    }),
  );
}
