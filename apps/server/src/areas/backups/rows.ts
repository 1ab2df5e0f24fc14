import type * as answers from '@praesidor/contract';
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
