import type { Keep } from '../model/backup.ts';

/** Anything that was taken at a time, in milliseconds since 1970. */
export interface Taken {
  at: number;
}

const day = 86_400_000;

/**
 * What a plan keeps of backups of one volume at a time: the newest `last`, those younger than `days`, and always the newest one. The others go.
 *
 * @param backups whole ones alone: what is not whole keeps nothing else from going
 */
export function keptOf<T extends Taken>(backups: readonly T[], keep: Keep, now: number): { kept: T[]; goes: T[] } {
  const newest = [...backups].sort((a, b) => b.at - a.at);
  const kept: T[] = [];
  const goes: T[] = [];
  for (const [i, b] of newest.entries()) {
    const stays = i === 0 || i < (keep.last ?? 0) || (keep.days !== undefined && now - b.at < keep.days * day);
    (stays ? kept : goes).push(b);
  }
  return { kept, goes };
}
