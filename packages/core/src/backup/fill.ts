import type { BackupStore } from '../model/backup.ts';
import type { Estate } from '../model/estate.ts';
import { coverage } from './plans.ts';
import { nextTime } from './times.ts';

/** What lies in a store over time, once its plans have begun: it grows until plans drop as much as they add. */
export interface Fill {
  /** In GB, at times in milliseconds since 1970; between two of them it grows evenly. */
  points: { at: number; gb: number }[];
  /** When it is full; undefined: it never is, or nobody said how large it is. */
  fullAt: number | undefined;
}
const day = 86_400_000;

/** @param now from when the plans run; nothing of them is there yet */
export function fillOf(store: BackupStore, estate: Pick<Estate, 'sites' | 'backupStores' | 'charters'>, now: number): Fill {
  const parts = estate.charters.flatMap((c) => {
    if (!(c.backups ?? []).some((b) => b.store === store.name)) return [];
    const zone = estate.sites.find((s) => s.name === c.site)?.timezone ?? 'UTC';
    return coverage(c, estate, now).flatMap((v) => {
      const first = v.store?.name === store.name && v.plan ? nextTime(v.plan.at, zone, now) : undefined;
      if (first === undefined || !v.count) return [];
      // The first one lies there whole; each later one adds what became other, until one is dropped for each that comes.
      const grows = v.changesGB ? ((v.storeGB - v.sizeGB) / v.changesGB) * day : 0;
      return [{ first, whole: v.sizeGB, perDay: v.changesGB, steady: first + grows }];
    });
  });
  const at = (t: number) =>
    parts.reduce((sum, p) => sum + (t < p.first ? 0 : p.whole + (p.perDay * (Math.min(t, p.steady) - p.first)) / day), 0);
  // A moment before the first of a volume there is nothing of it.
  const times = [...new Set([now, ...parts.flatMap((p) => [p.first - 1, p.first, p.steady])])]
    .filter((t) => t >= now)
    .sort((a, b) => a - b);
  const points = times.map((t) => ({ at: t, gb: at(t) }));
  const over = store.sizeGB === undefined ? -1 : points.findIndex((p) => p.gb > (store.sizeGB as number));
  const [b, a] = [points[over], points[over - 1]];
  const fullAt = b && (a ? a.at + ((b.at - a.at) * ((store.sizeGB as number) - a.gb)) / (b.gb - a.gb) : b.at);
  return { points, fullAt: fullAt === undefined ? undefined : Math.round(fullAt) };
}
