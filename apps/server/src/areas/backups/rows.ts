import type * as answers from '@praesidor/contract';
import type { SeenBackups } from '@praesidor/core/model';
import { observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';

/** A backup as it is kept. */
export interface BackupRow {
  id: number;
  charter: string;
  volume: string;
  plan: string | null;
  store: string;
  /** Name of its index in the store. */
  name: string;
  at: Date;
  ended: Date;
  bytes: string;
  sent: string;
  labels: string[];
  made_by: string;
  tried: Date | null;
  tried_good: boolean | null;
  tried_text: string | null;
}

/** What there is of a cluster, or of one volume of it, the newest first. */
export const backupsOf = (m: EntityManager, charter: string, volume?: string): Promise<BackupRow[]> =>
  m.query(
    'select * from volume_backup where charter = $1 and ($2::text is null or volume = $2) and dropped is null order by at desc, id desc limit 5000',
    [charter, volume ?? null],
  );

/** The newest one of a volume; undefined: there is none. */
export const newestBackup = async (m: EntityManager, charter: string, volume: string): Promise<BackupRow | undefined> =>
  (
    (await m.query(
      'select * from volume_backup where charter = $1 and volume = $2 and dropped is null order by at desc, id desc limit 1',
      [charter, volume],
    )) as BackupRow[]
  )[0];

/** One that was not dropped. */
export const backupById = async (m: EntityManager, id: number): Promise<BackupRow | undefined> =>
  ((await m.query('select * from volume_backup where id = $1 and dropped is null', [id])) as BackupRow[])[0];

/** Backups that are given back just now, or that one which was broken off can go on with: by number. */
export const restoringNow = async (m: EntityManager): Promise<Set<number>> => {
  const rows = (await m.query(
    `select distinct x.id from run r, lateral (select (r.asked->>'backup')::int as id union all select (g.value->>'backup')::int from jsonb_each(r.asked->'gives') g) x
       where r.kind = 'backup' and r.asked->>'what' in ('restore', 'follow') and r.state <> 'done' and x.id is not null
       and r.id in (select max(id) from run where kind = 'backup' group by subject)`,
  )) as { id: number }[];
  return new Set(rows.map((r) => r.id));
};

/** Keeps what checks know of it: the newest backup of each volume. After each that was made, tested or dropped. */
export async function noteBackups(m: EntityManager, charter: string): Promise<void> {
  const volumes: SeenBackups['volumes'] = {};
  for (const b of (await backupsOf(m, charter)).reverse())
    volumes[b.volume] = {
      at: b.at.toISOString(),
      store: b.store,
      ...(b.tried ? { tried: { at: b.tried.toISOString(), good: b.tried_good ?? false, text: b.tried_text ?? '' } } : {}),
    };
  const kept = (await m.query('select * from standby where charter = $1', [charter])) as {
    workload: string;
    state: 'follows' | 'active';
    holds: Record<string, string>;
    whole: boolean;
    fault: string | null;
    since: Date | null;
    activated_by: string | null;
    ended: boolean;
  }[];
  const standbys: NonNullable<SeenBackups['standbys']> = {};
  for (const k of kept) {
    // Of the oldest of its volumes; while one is being written, of none.
    const holds = k.whole ? Object.values(k.holds).sort()[0] : undefined;
    standbys[k.workload] = {
      state: k.state,
      ...(holds ? { holds } : {}),
      ...(k.fault ? { fault: k.fault } : {}),
      ...(k.since ? { since: k.since.toISOString() } : {}),
      ...(k.activated_by ? { by: k.activated_by } : {}),
      ...(k.state === 'active' ? { ended: k.ended } : {}),
    };
  }
  await observe(m, 'backups', charter, { volumes, ...(kept.length ? { standbys } : {}) } satisfies SeenBackups);
  await tell(m, 'SeenBackups', charter);
}

export const shown = (b: BackupRow): z.input<typeof answers.VolumeBackup> => ({
  id: b.id,
  volume: b.volume,
  plan: b.plan,
  store: b.store,
  at: b.at,
  ended: b.ended,
  bytes: Number(b.bytes),
  sent: Number(b.sent),
  labels: b.labels,
  madeBy: b.made_by,
  tried: b.tried ? { at: b.tried, good: b.tried_good ?? false, text: b.tried_text ?? '' } : null,
});
