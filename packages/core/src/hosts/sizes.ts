import type { Facts } from '../model/facts.ts';

type Media = Facts['disks'][number]['media'];
/** Gigabytes (10⁹) in one of each unit. */
const inGB: Record<string, number> = { '': 1, g: 1, gb: 1, t: 1000, tb: 1000, gib: 1.073741824, tib: 1099.511627776, mb: 0.001 };
/** GiB in one of each unit. Memory modules are made in powers of two, and called GB by that (JEDEC JESD100B.01). */
const inGiB: Record<string, number> = {
  '': 1,
  g: 1,
  gb: 1,
  gib: 1,
  t: 1024,
  tb: 1024,
  tib: 1024,
  m: 1 / 1024,
  mb: 1 / 1024,
  mib: 1 / 1024,
};
const medium = (words: string): Media | undefined =>
  /nvme|u\.[23]|m\.2/i.test(words)
    ? 'nvme'
    : /ssd|flash|solid/i.test(words)
      ? 'ssd'
      : /hdd|sas|sata|spin|disk|rpm/i.test(words)
        ? 'hdd'
        : undefined;

/** A disk as people write it; without its medium where they do not say it. */
export interface WrittenDisk {
  sizeGB: number;
  media?: Media;
}

/**
 * Disks as people write them, in any of their ways: several with commas, semicolons, plus signs or blanks between them, counted
 * with ×, with units and media or without.
 *
 * @returns the first part that is no disk, as `wrong`
 * @example
 * readDisks('480GB ssd; 1.9TB nvme') // { disks: [{ sizeGB: 480, media: 'ssd' }, { sizeGB: 1900, media: 'nvme' }] }
 * readDisks('2x960 NVMe') // { disks: [{ sizeGB: 960, media: 'nvme' }, { sizeGB: 960, media: 'nvme' }] }
 */
export function readDisks(text: string): { disks: WrittenDisk[]; wrong?: string } {
  const disks: WrittenDisk[] = [];
  const parts = text
    .split(/\s*(?:[,;|+&\n]|\band\b)\s*/i)
    .flatMap((p) => (/^[\d.\s]+$/.test(p) ? p.split(/\s+/) : [p]))
    .map((p) => p.trim())
    .filter(Boolean);
  for (const part of parts) {
    const m = /^(?:(\d{1,3})\s*[x×*]\s*)?(\d+(?:\.\d+)?)\s*(tib|gib|tb|gb|mb|t|g)?\b\s*([a-z0-9. -]*)$/i.exec(part);
    const media = medium(m?.[4] ?? '');
    const factor = inGB[(m?.[3] ?? '').toLowerCase()];
    if (!m || factor === undefined || (m[4]?.trim() && !media)) return { disks, wrong: part };
    for (let n = 0; n < Number(m[1] ?? 1); n++)
      disks.push({ sizeGB: Math.round(Number(m[2]) * factor * 100) / 100, ...(media ? { media } : {}) });
  }
  return { disks };
}

/** Memory in GiB: `128`, `128 GiB`, `0.5 TB`, `131072 MB`, `8 x 16 GB`; undefined where it is none of these. */
export function readMemory(text: string): number | undefined {
  const m = /^(?:(\d{1,3})\s*[x×*]\s*)?(\d+(?:\.\d+)?)\s*(tib|gib|mib|tb|gb|mb|t|g|m)?$/i.exec(text.trim());
  const factor = inGiB[(m?.[3] ?? '').toLowerCase()];
  return m && factor !== undefined ? Math.round(Number(m[1] ?? 1) * Number(m[2]) * factor * 100) / 100 : undefined;
}

/** A unit of a rack: `12`, `U12`, `12U`; of a run its lowest, `12-13`. */
export function readUnit(text: string): number | undefined {
  const m = /^u?\s*(\d{1,3})\s*u?(?:\s*[-–]\s*u?(\d{1,3})\s*u?)?$/i.exec(text.trim());
  return m ? Math.min(Number(m[1]), Number(m[2] ?? m[1])) : undefined;
}

/** The rate of a link in Gbit/s: `25`, `25G`, `25 GbE`, `25 Gbit/s`, `1000 Mbit/s`, `2 × 25 Gbit/s` (each). */
export function readLink(text: string): number | undefined {
  const m = /^(?:\d\s*[x×*]\s*)?(\d+(?:\.\d+)?)\s*(g|gb|gbe|gbit|gbps|gb\/s|gbit\/s|m|mb|mbit|mbps|mbit\/s)?$/i.exec(text.trim());
  return m ? Number(m[1]) / (m[2]?.toLowerCase().startsWith('m') ? 1000 : 1) : undefined;
}
