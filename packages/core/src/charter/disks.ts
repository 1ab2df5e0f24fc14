import type { Facts } from '../model/facts.ts';

type Disk = Facts['disks'][number];
/** What a disk of a node is for: the system and what it must remember, the container runtime's layers, the members' data. */
export type DiskUse = 'system' | 'containers' | 'etcd';
export interface PlannedDisk {
  use: DiskUse;
  disk: Disk;
  why: string;
}

const solid = (d: Disk) => d.media !== 'hdd';
/** What tells a disk from all others once the machine runs: letters and digits of its serial or WWN, as every program has them. */
export const marksOf = (d: Disk): { serial: string; wwn: string } => ({
  serial: plain(d.serial ?? ''),
  wwn: plain((d.wwn ?? '').replace(/^(0x|naa\.|eui\.)/i, '')),
});
const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');

/**
 * Which disk of a node is for what. The smallest is the system's, as fitness reckons; the largest of the others keeps containers;
 * on the control plane a third that is solid keeps the members' data. A disk more is left alone. A guest's first disk was written
 * from its image, and is not laid out.
 */
export function disksOf(node: { role: 'control-plane' | 'worker'; facts: Pick<Facts, 'disks'>; guest?: unknown }): PlannedDisk[] {
  const [first, ...others] = node.guest
    ? node.facts.disks
    : [...node.facts.disks].sort((a, b) => a.sizeGB - b.sizeGB || (a.bay < b.bay ? -1 : 1));
  if (!first) return [];
  const out: PlannedDisk[] = node.guest ? [] : [{ use: 'system', disk: first, why: 'the smallest' }];
  const left = [...others].sort((a, b) => b.sizeGB - a.sizeGB);
  const containers = left.shift();
  if (containers) out.push({ use: 'containers', disk: containers, why: node.guest ? 'its second' : 'the largest' });
  const etcd = node.role === 'control-plane' ? left.filter(solid).at(-1) : undefined;
  if (etcd) out.push({ use: 'etcd', disk: etcd, why: 'a third that is solid' });
  return out;
}

/** Disks of a node that cannot be told from its others once it runs: no serial is known, no WWN, or two share one. */
export function unmarked(node: Parameters<typeof disksOf>[0]): Disk[] {
  const all = node.facts.disks.map(marksOf);
  return disksOf(node)
    .map((p) => p.disk)
    .filter((d) => {
      const m = marksOf(d);
      const same = (key: 'serial' | 'wwn') => m[key] !== '' && all.filter((x) => x[key] === m[key]).length === 1;
      return !same('serial') && !same('wwn');
    });
}
