import { parseYaml } from '../parse-once.ts';
import type { Clock } from '../clock.ts';
import type { Machine } from '../machine.ts';
import type { Installed } from '../node.ts';
import { ApiStandin, type SavedCluster } from './one-cluster.ts';
import { fileSystemAt } from '../disks.ts';
import { begins } from './of-files.ts';

export type { SavedCluster } from './one-cluster.ts';

const etcdData = '/var/lib/etcd';
/**
 * The installation that a machine is of, where etcd begins anew on it. One that finds its data goes on with them, whatever it is told on its command line (etcd 3.4,
 * `--initial-cluster-state` is read by an empty member alone).
 */
function beginsAnew(machine: Machine, kit: Installed): string | undefined {
  const told = begins(kit);
  const disk = fileSystemAt(machine.disks, kit.files, etcdData);
  if (!told || !disk) return told;
  const holds = disk.files[`${etcdData}/member`];
  if (holds === undefined) disk.files[`${etcdData}/member`] = told;
  return holds === undefined ? told : undefined;
}

/** The clusters that stand in the proving ground: each exists while most of its control-plane machines run. */
export class Clusters {
  private readonly clusters = new Map<string, ApiStandin>();
  private readonly saved = new Map<string, SavedCluster>();
  constructor(
    private readonly clock: Clock,
    private readonly place: (address: string, port: number) => { host: string; port: number },
    private readonly changed: () => void = () => undefined,
    /** Whether the API of a cluster takes connections and says nothing. */
    private readonly silent: (cluster: string) => boolean = () => false,
  ) {}

  /** What they knew before everything was switched off. */
  restore(saved: Record<string, SavedCluster> = {}): void {
    for (const [name, s] of Object.entries(saved)) this.saved.set(name, s);
  }
  save = (): Record<string, SavedCluster> =>
    Object.fromEntries([...this.saved, ...[...this.clusters].map(([n, c]): [string, SavedCluster] => [n, c.save()])]);

  joined(machine: Machine, kit: Installed): void {
    const config = parseYaml(kit.files['/etc/kubernetes/kubelet.kubeconfig'] ?? '') as { clusters: { name: string }[] };
    const name = config.clusters[0]?.name ?? 'unknown';
    const first = beginsAnew(machine, kit);
    let api = this.clusters.get(name);
    // Built anew: what etcd knew was on disks that are empty now.
    if (!api || (first && api.begun !== first)) {
      api?.end();
      const saved = this.saved.get(name);
      this.saved.delete(name);
      const same = saved && (!first || saved.begun === first);
      api = new ApiStandin(name, this.clock, this.place, first ?? (same ? saved.begun : undefined), this.changed, () =>
        this.silent(name),
      );
      if (same) api.restore(saved);
    }
    this.clusters.set(name, api);
    api.add(machine, kit);
  }

  /** Programs of a machine that runs were started anew: what they read at their start they have read by now. */
  restarted(machine: Machine, programs: readonly string[]): void {
    for (const c of this.clusters.values()) c.restarted(machine, programs);
  }
  left(machine: Machine): void {
    for (const c of this.clusters.values()) c.remove(machine);
  }
  /** What a kubelet mounts on a machine at a path, where its cluster's driver keeps it. */
  mounted = (machine: Machine, path: string) => {
    for (const c of this.clusters.values()) {
      const found = c.mounted(machine, path);
      if (found) return found;
    }
    return undefined;
  };
  list = () => [...this.clusters.values()].map((c) => ({ name: c.name, up: c.up, members: c.names() }));
  close(): void {
    for (const c of this.clusters.values()) c.end();
  }
}
