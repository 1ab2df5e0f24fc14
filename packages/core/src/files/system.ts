import { coerce, gte } from 'semver';
import { z } from 'zod';
import type { Charter, Release } from '../model/documents.ts';

/** What an image that machines boot says of itself: its layer titled `contents`. */
export const SystemContents = z.object({
  packages: z.array(z.object({ name: z.string().max(200), version: z.string().max(200) })).max(10_000),
  /** Files that came from elsewhere, by path and digest. */
  added: z
    .array(z.object({ path: z.string().max(500), sha256: z.string().regex(/^[0-9a-f]{64}$/) }))
    .max(1000)
    .default([]),
});
export type SystemContents = z.infer<typeof SystemContents>;

/** Something that a machine must have to become a node of the kit: from a package, or as a file. */
export interface Need {
  name: string;
  for: string;
  packages: string[];
  path?: string;
  atLeast?: string;
  from?: string;
}
const debian = 'Debian';
/** What the boot kit asks of every system. A new one is a line. */
export const systemNeeds: readonly Need[] = [
  { name: 'kernel', for: 'everything', packages: ['linux-image-amd64', 'linux-image-cloud-amd64'], from: debian },
  { name: 'cloud-init', for: 'reads first-boot data', packages: ['cloud-init'], atLeast: '22.4', from: debian },
  { name: 'systemd', for: 'units, adapters, mounts', packages: ['systemd'], atLeast: '252', from: debian },
  { name: 'systemd-resolved', for: 'resolvers', packages: ['systemd-resolved'], from: debian },
  { name: 'container runtime', for: 'pods', packages: ['containerd'], path: '/usr/bin/containerd', atLeast: '1.6', from: debian },
  { name: 'runc', for: 'pods', packages: ['runc'], path: '/usr/sbin/runc', from: debian },
  { name: 'CNI programs', for: 'the network of pods', packages: ['containernetworking-plugins'], from: debian },
  { name: 'keepalived', for: 'addresses that move', packages: ['keepalived'], from: debian },
  { name: 'time service', for: 'time', packages: ['chrony', 'systemd-timesyncd', 'ntpsec'], from: debian },
  { name: 'curl', for: 'reports, and what it starts from', packages: ['curl'], from: debian },
  { name: 'ext4 tools', for: 'file systems', packages: ['e2fsprogs'], from: debian },
  { name: 'FAT tools', for: 'the partition that firmware reads', packages: ['dosfstools'], from: debian },
  { name: 'partition tools', for: 'disks', packages: ['fdisk'], from: debian },
  {
    name: 'kubelet',
    for: 'the node itself',
    packages: ['kubelet'],
    path: '/usr/bin/kubelet',
    from: "a file of the engineer's own",
  },
];

/** What some charters ask of it besides. */
const asked: readonly (Need & { by: (c: Pick<Charter, 'syslog' | 'storage'>) => boolean })[] = [
  { name: 'rsyslog', for: 'logs to a server', packages: ['rsyslog'], from: debian, by: (c) => c.syslog !== undefined },
  {
    name: 'NFS client',
    for: 'volumes of an NFS server',
    packages: ['nfs-common'],
    from: debian,
    by: (c) => c.storage?.some((s) => s.kind === 'nfs') ?? false,
  },
  {
    name: 'XFS tools',
    for: 'volumes with XFS',
    packages: ['xfsprogs'],
    from: debian,
    by: (c) => c.storage?.some((s) => s.filesystem === 'xfs') ?? false,
  },
];

/** What the system of a release must contain: what the kit asks, and what the release says more or otherwise. */
export function needsOf(release: Pick<Release, 'system'> | undefined, charter?: Pick<Charter, 'syslog' | 'storage'>): Need[] {
  const usual = [...systemNeeds, ...(charter ? asked.filter((a) => a.by(charter)) : [])];
  const said = release?.system ?? [];
  const own = new Map(said.map((s) => [s.name, s]));
  return [
    ...usual.map((n) => {
      const s = own.get(n.name);
      return s ? { ...n, ...(s.atLeast ? { atLeast: s.atLeast } : {}), ...(s.from ? { from: s.from } : {}) } : n;
    }),
    ...said
      .filter((s) => !usual.some((n) => n.name === s.name))
      .map((s): Need => ({ packages: [s.name], for: 'the release asks for it', ...s })),
  ];
}

/** Debian's version without epoch and revision, as far as it is compared: `1:22.4.2-1+deb12u1` is 22.4.2. */
const upstream = (version: string) => coerce(version.replace(/^\d+:/, ''));

/** What a system lacks, in words; nothing: it has all of it. */
export function lacksOf(contents: SystemContents, needs: readonly Need[]): string[] {
  const packages = new Map(contents.packages.map((p) => [p.name, p.version]));
  const files = new Set(contents.added.map((a) => a.path));
  return needs.flatMap((n) => {
    if (n.path && files.has(n.path)) return [];
    const found = n.packages.find((p) => packages.has(p));
    const where = n.from ? ` (from ${n.from})` : '';
    if (!found) return [`no ${n.name}${where}, for ${n.for}`];
    const has = upstream(packages.get(found) ?? '');
    const least = n.atLeast ? coerce(n.atLeast) : undefined;
    return least && (!has || !gte(has, least)) ? [`${found} ${packages.get(found)}, where ${n.atLeast} or later is asked`] : [];
  });
}
