/** Every figure with what it is held against, measured in this run. */
export const rows: { what: string; measured: string; reach: string; good: boolean }[] = [];
export const row = (what: string, measured: string, reach: string, good: boolean) => {
  rows.push({ what, measured, reach, good });
  process.stdout.write(`${good ? 'reached ' : 'MISSED  '} ${what}: ${measured} (${reach})\n`);
};
export const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1] as number;
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
