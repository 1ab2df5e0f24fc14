import { counted } from '../../words/amounts.ts';
import type { StorageClass } from '../../model/charter.ts';
import type { Plan, PlannedClass, PlannedNode } from '../plan.ts';
import { disksOf } from '../disks.ts';
import { roleLabel } from '../pools.ts';
import { aspect, because } from './aspect.ts';
import { nodes } from './nodes.ts';

const atMost = 3;
const domainOf = {
  host: (node: PlannedNode) => node.host,
  rack: (node: PlannedNode) => node.rack,
  zone: (node: PlannedNode) => node.zone,
} as const;

/** Nodes that volumes lie on: those of pools kept for it, else all workers, else all there are. */
export function storageNodes(all: readonly PlannedNode[]): readonly PlannedNode[] {
  const kept = all.filter((n) => n.labels.includes(`${roleLabel('storage')}=yes`));
  const workers = all.filter((n) => n.role === 'worker');
  return kept.length ? kept : workers.length ? workers : all;
}

/** Room for volumes on a node, in GB: the disks that its kit leaves alone; where it leaves none, half of the disk with the containers. */
export function roomForVolumes(node: PlannedNode): number {
  const used = disksOf(node);
  const left = node.facts.disks.filter((d) => !used.some((u) => u.disk === d));
  if (left.length) return left.reduce((sum, d) => sum + d.sizeGB, 0);
  return Math.floor((used.find((u) => u.use === 'containers')?.disk.sizeGB ?? 0) / 2);
}

/** How a copy is made anew, where nothing else is said: seconds after its host counts as lost, and Gbit/s that a host takes in. */
const usualRebuild = { after: 600, gbit: 1 };
export const rebuildOf = (c: Pick<PlannedClass, 'rebuild'>) => c.rebuild ?? usualRebuild;

/** A class with what follows for it: as many copies as there are places for, three at most, each on another host. */
function planned(c: StorageClass, on: readonly PlannedNode[]): PlannedClass {
  const apart = c.apart ?? 'host';
  const places = new Set(on.map(domainOf[c.mayShare ? 'host' : apart]).filter(Boolean)).size;
  return {
    name: c.name,
    kind: c.kind,
    standard: c.standard ?? false,
    reclaim: c.reclaim,
    filesystem: c.filesystem ?? 'ext4',
    apart,
    ...(c.mayShare ? { mayShare: true } : {}),
    places,
    ...(c.rebuild ? { rebuild: c.rebuild } : {}),
    copies: c.kind === 'copies' ? (c.copies ?? Math.max(1, Math.min(atMost, places))) : 1,
    ...(c.server ? { server: c.server, path: c.path ?? '/' } : {}),
  };
}

const keptText = (c: PlannedClass) =>
  c.kind === 'copies'
    ? `${counted(c.copies, 'copy', 'copies')}, apart by ${c.apart}${c.mayShare && c.apart !== 'host' ? ' where they can be' : ''}`
    : c.kind === 'local'
      ? 'on one host'
      : `${c.server}:${c.path}`;

/** Storage classes, as they will stand. */
export const storage = aspect<Pick<Plan, 'storage'>>({
  name: 'storage',
  compute: ({ charter, need }) => {
    const on = storageNodes(need(nodes).nodes);
    return { storage: (charter.storage ?? []).map((c) => planned(c, on)) };
  },
  lines: ({ storage: classes, nodes: all }) =>
    classes.length
      ? [
          {
            id: 'storage',
            section: 5,
            label: 'Volumes',
            text: classes.map((c) => `${c.name}${c.standard ? ' (default)' : ''}: ${keptText(c)}`).join('; '),
            why: [
              because(
                'hosts of volumes',
                {
                  hosts:
                    storageNodes(all)
                      .map((n) => n.host)
                      .join(', ') || 'none yet',
                },
                ['storage'],
              ),
              ...classes
                .filter((c) => c.kind === 'copies')
                .map((c) =>
                  because('copies of a class', { name: c.name, copies: c.copies, apart: c.apart, places: c.places }, ['storage']),
                ),
            ],
          },
        ]
      : [],
});
