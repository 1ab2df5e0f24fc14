import { readFileSync } from 'node:fs';

/** Every figure with what it is held against, measured in this run. */
export const rows: { what: string; measured: string; reach: string; good: boolean }[] = [];
export const row = (what: string, measured: string, reach: string, good: boolean) => {
  rows.push({ what, measured, reach, good });
  process.stdout.write(`${good ? 'reached ' : 'MISSED  '} ${what}: ${measured} (${reach})\n`);
};
export const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1] as number;
/** A share of 0 to 1 in words. */
export const percent = (share: number) => `${(100 * share).toFixed(0)} %`;
/** Median of several runs after a first one, in milliseconds. */
export const timed = (act: () => void, times = 15) => {
  act();
  return median(
    Array.from({ length: times }, () => {
      const t = performance.now();
      act();
      return performance.now() - t;
    }),
  );
};

/** Ticks of all processors so far, and those that another machine on the same metal took (Linux, proc(5)); nothing elsewhere. */
function ticks() {
  try {
    const [, ...n] = (readFileSync('/proc/stat', 'utf8').split('\n')[0] as string).trim().split(/\s+/);
    return { all: n.slice(0, 8).reduce((a, b) => a + Number(b), 0), stolen: Number(n[7]) };
  } catch {
    return { all: 0, stolen: 0 };
  }
}
/**
 * A length of single frames means nothing while a neighbour takes the processors: up to `rounds` rounds, ended by the first in
 * which less than 1 % of their time was taken; the round with the least taken counts, with the share that was (0 to 1).
 */
export async function quietest<T>(act: () => Promise<T>, rounds = 12): Promise<{ value: T; stolen: number; rounds: number }> {
  let best: { value: T; stolen: number; rounds: number } | undefined;
  for (let n = 1; n <= rounds; n++) {
    const before = ticks();
    const value = await act();
    const after = ticks();
    const stolen = (after.stolen - before.stolen) / Math.max(1, after.all - before.all);
    if (!best || stolen < best.stolen) best = { value, stolen, rounds: n };
    if (best.stolen < 0.01) break;
  }
  return best as { value: T; stolen: number; rounds: number };
}
