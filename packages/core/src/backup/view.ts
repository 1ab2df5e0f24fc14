import type { Computed } from '../charter/plan.ts';
import type { Backup, BackupStore } from '../model/backup.ts';
import type { Estate } from '../model/estate.ts';
import type { Room } from '../rehearse/room.ts';
import { type Fill, fillOf } from './fill.ts';
import { type Covered, coverage, passes, rateTo, takenIn } from './plans.ts';
import { timesAfter } from './times.ts';
import { type StandbyRow, standbysOf } from './standby.ts';
import { type UsableRoom, usableRoom } from './usable.ts';

/** A volume as it is planned. */
export interface VolumeRow extends Covered {
  kind: 'copies' | 'local' | 'nfs';
  /** Hosts with a copy; undefined stands for one that finds no place. */
  copies: (string | undefined)[];
  apart: 'host' | 'rack' | 'zone';
  /** Pods that use it. */
  pods: number;
  /** The cluster that it is kept from, where it is of a standby copy. */
  from?: string;
}
/** A plan with what comes next. */
export interface PlanRow {
  plan: Backup;
  store: BackupStore | undefined;
  volumes: string[];
  /** Runs in the coming days, in milliseconds since 1970, with how long each takes; undefined: the rate is not known. */
  next: { at: number; takes: number | undefined }[];
  trial: number | undefined;
}
/** Volumes of a cluster, their room, their copies and their backups, as planned. */
export interface VolumesView {
  zone: string;
  hosts: { name: string; sizeGB: number; heldGB: number }[];
  /** With the copies of the class that most volumes with copies are of. */
  room: (UsableRoom & { copies: number }) | undefined;
  askedGB: number;
  /** With all copies. */
  keptGB: number;
  volumes: VolumeRow[];
  plans: PlanRow[];
  /** The volume of which most can be lost, with all of its copies. */
  atRisk: VolumeRow | undefined;
  /** Volumes that no backup brings back. */
  bare: number;
  /** Until everything is read back from its stores, one volume after the other at each; and the slowest part of a way. */
  recovery: { ms: number; gb: number; by: string } | undefined;
  days: number;
  /** Standby copies that it keeps, and those that others keep of it. */
  standbys: StandbyRow[];
  keptAt: StandbyRow[];
}

const day = 86_400_000;
/** Days that are looked ahead. */
export const aheadDays = 7;

export function volumesView(
  plan: Computed,
  room: Room,
  estate: Pick<Estate, 'sites' | 'backupStores' | 'charters' | 'observed' | 'now'>,
): VolumesView {
  const { charter } = plan;
  const now = Date.parse(estate.now);
  const site = estate.sites.find((s) => s.name === charter.site);
  const zone = site?.timezone ?? 'UTC';
  const covered = new Map(coverage(charter, estate, now).map((v) => [v.name, v]));
  const volumes = room.volumes.flatMap((v, i): VolumeRow[] => {
    const c = covered.get(v.name);
    if (!c) return [];
    const from = charter.standbys?.find((s) => s.workload === c.workload)?.cluster;
    return [
      {
        ...c,
        kind: v.kind,
        copies: v.copies.map((h) => (h < 0 ? undefined : room.hosts[h]?.name)),
        apart: v.apart,
        pods: room.pods.filter((p) => p.volumes.includes(i)).length,
        ...(from ? { from } : {}),
      },
    ];
  });
  const held = new Map<string, number>();
  for (const v of volumes) for (const h of v.copies) if (h) held.set(h, (held.get(h) ?? 0) + v.sizeGB);
  const hosts = room.stores.map((i) => {
    const { name = '', volumesGB = 0 } = room.hosts[i] ?? {};
    return { name, sizeGB: volumesGB, heldGB: held.get(name) ?? 0 };
  });
  const kept = volumes.filter((v) => v.kind === 'copies');
  const classes = plan.storage.filter((s) => s.kind === 'copies');
  const copies = (classes.find((s) => s.standard || kept.some((v) => v.class === s.name)) ?? classes[0])?.copies;
  const plans = (charter.backups ?? []).map((b): PlanRow => {
    const of = volumes.filter((v) => v.plan === b);
    const store = estate.backupStores.find((s) => s.name === b.store);
    const takes = of.every((v) => v.later !== undefined) ? of.reduce((sum, v) => sum + (v.later ?? 0), 0) : undefined;
    return {
      plan: b,
      store,
      volumes: of.map((v) => v.name),
      next: timesAfter(b.at, zone, now, 400, now + aheadDays * day).map((at) => ({ at, takes })),
      trial: b.trial ? timesAfter(b.trial, zone, now, 1)[0] : undefined,
    };
  });
  return {
    zone,
    hosts,
    room:
      copies && hosts.length
        ? {
            ...usableRoom(
              hosts.map((h) => h.sizeGB),
              copies,
            ),
            copies,
          }
        : undefined,
    askedGB: volumes.reduce((sum, v) => sum + v.sizeGB, 0),
    keptGB: volumes.reduce((sum, v) => sum + v.sizeGB * Math.max(1, v.copies.length), 0),
    volumes,
    plans,
    atRisk: volumes.filter((v) => v.loses !== undefined).sort((a, b) => (b.loses ?? 0) - (a.loses ?? 0))[0],
    bare: volumes.filter((v) => !v.store && !v.from).length,
    recovery: recoveryOf(volumes, estate, charter.site),
    days: aheadDays,
    standbys: standbysOf(estate, charter.name, (c) => coverage(c, estate, now)),
    keptAt: standbysOf(estate, charter.name, (c) => coverage(c, estate, now), true),
  };
}

/** Stores give side by side, each one volume after the other. */
function recoveryOf(volumes: readonly VolumeRow[], estate: Pick<Estate, 'sites'>, to: string): VolumesView['recovery'] {
  const by = new Map<BackupStore, number>();
  for (const v of volumes) if (v.store) by.set(v.store, (by.get(v.store) ?? 0) + v.sizeGB);
  const site = (name: string) => estate.sites.find((s) => s.name === name);
  const ways = [...by].map(([store, gb]) => {
    const rate = rateTo(store, site(store.site), site(to));
    return { gb, by: rate?.by ?? '', ms: rate ? passes(gb, rate.mbit) : Number.NaN };
  });
  const [slowest] = [...ways].sort((a, b) => b.ms - a.ms);
  if (!slowest || ways.some((w) => Number.isNaN(w.ms))) return undefined;
  return { ms: slowest.ms, by: slowest.by, gb: ways.reduce((sum, w) => sum + w.gb, 0) };
}

/** A store with what is planned to lie there. */
export interface StoreRow {
  store: BackupStore;
  taken: { charter: string; gb: number }[];
  sumGB: number;
  fill: Fill;
}
export const storesView = (estate: Pick<Estate, 'sites' | 'backupStores' | 'charters' | 'now'>): StoreRow[] =>
  estate.backupStores.map((store) => {
    const taken = takenIn(store, estate, Date.parse(estate.now));
    return { store, taken, sumGB: taken.reduce((sum, t) => sum + t.gb, 0), fill: fillOf(store, estate, Date.parse(estate.now)) };
  });
