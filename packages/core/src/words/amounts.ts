/** 8.7 GB, 41 MB, 990 kB: three figures, powers of 1000. */
export function bytesText(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
  let i = 0;
  let v = n;
  while (v >= 999.5 && i < units.length - 1) {
    v /= 1000;
    i++;
  }
  return `${v >= 100 || i === 0 ? Math.round(v) : v >= 10 ? Number(v.toFixed(1)).toString() : v.toFixed(1)} ${units[i]}`;
}

/** Gigabytes (10⁹) as people say them: 480 GB, 1.9 TB. */
export const gigabytesText = (gb: number): string => bytesText(gb * 1e9);

/** Seconds as people say them: `40 s`, `5 min`, `5 min 40 s`, `2 h 5 min`. */
export function secondsText(seconds: number): string {
  const s = Math.round(seconds);
  if (s < 60) return `${s} s`;
  const [h, min, rest] = [Math.floor(s / 3600), Math.floor((s % 3600) / 60), s % 60];
  return [h ? `${h} h` : '', min ? `${min} min` : '', rest && !h ? `${rest} s` : ''].filter(Boolean).join(' ');
}

/**
 * A number with its noun: `1 host`, `2,400 hosts`.
 *
 * @param many the plural where it is not the noun with an s
 */
export const counted = (n: number, one: string, many = `${one}s`): string => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
