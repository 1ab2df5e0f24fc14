import { z } from 'zod';
import { parsePrefix } from '../address/parse.ts';
import { AsNumber } from './as-number.ts';
import { Backup, Standby } from './backup.ts';
import { Workload } from './workload.ts';
import { doc } from './doc.ts';
import { OfTemplate } from './of-template.ts';
import { Requirement } from './requirement.ts';
import {
  Arch,
  Cidr,
  Fqdn,
  Hostport,
  Ip,
  Label,
  Line,
  Name,
  NameIn,
  NodeLabel,
  NodeTaint,
  ProxyExcept,
  ProxyUrl,
  RangeText,
  ServerList,
  SshKey,
  TimeZone,
  VersionName,
} from './words.ts';

/** Room for services: the API has the first address, the cluster's DNS the tenth, so that sixteen are the least. */
const ServiceRange = Cidr.refine(
  (text) => {
    const p = parsePrefix(text);
    return (p.v === 4 ? 32 : 128) - p.length >= 4;
  },
  { message: 'has fewer than 16 addresses: the API takes the first, the DNS of the cluster the tenth' },
);

/** How packets of pods travel between nodes. */
export const overlayKinds = ['geneve', 'vxlan', 'ipip', 'wireguard', 'none'] as const;
export type OverlayKind = (typeof overlayKinds)[number];

/** What workers can be kept for: what comes in from outside enters there, or copies of volumes lie there. */
export const PoolRole = z.enum(['inbound', 'storage']);
export type PoolRole = z.infer<typeof PoolRole>;

/** What a pool asks of its hosts, and what its nodes are marked with. */
const asked = (most: number) => ({
  minCores: z.number().int().min(0).optional(),
  minMemoryGiB: z.number().min(0).optional(),
  /** Further requirements, as a profile has them. */
  needs: z.array(Requirement).max(20).optional(),
  /** Machines or guests alone; without it either. */
  from: z.enum(['metal', 'guests']).optional(),
  /** What its machines start from: a component of the release with `on: boot`, by name. Empty: the first. */
  system: Name.optional(),
  /** Guests of this mould alone. */
  mould: Name.optional(),
  /** Hosts of these zones alone. */
  zones: z.array(Label).max(50).optional(),
  labels: z.array(NodeLabel).max(50).optional(),
  taints: z.array(NodeTaint).max(20).optional(),
  /** Hosts by name, in place of chosen ones. */
  hosts: z.array(Name).max(most).optional(),
});
const forWorkers = {
  /** Where it is another than the charter's. */
  arch: Arch.optional(),
  roles: z.array(PoolRole).max(2).optional(),
};

/** How volumes of a class are kept. */
export const storageKinds = ['copies', 'local', 'nfs'] as const;
const StorageClass = z
  .strictObject({
    name: Name,
    kind: z.enum(storageKinds),
    /** Copies in the cluster: how many, and what no two of them may share. */
    copies: z.number().int().min(1).max(5).optional(),
    apart: z.enum(['host', 'rack', 'zone']).optional(),
    /** A copy shares a rack or a zone with another, never a host, rather than have no place. */
    mayShare: z.boolean().optional(),
    filesystem: z.enum(['ext4', 'xfs']).optional(),
    reclaim: z.enum(['keep', 'delete']).default('keep'),
    /** Claims that name no class get this one. */
    standard: z.boolean().optional(),
    /** Seconds until a volume is attached to a node. */
    attach: z.number().int().min(0).max(3600).optional(),
    /** How a copy that is lost is made anew: seconds after its host counts as lost, and Gbit/s that one host takes in. */
    rebuild: z.strictObject({ after: z.number().int().min(0).max(86_400), gbit: z.number().min(0.01).max(400) }).optional(),
    /** An NFS server outside, and the path that it exports. */
    server: z.union([Ip, Fqdn]).optional(),
    path: z
      .string()
      .max(200)
      .regex(/^\/[A-Za-z0-9._/-]*$/, 'a path from the root, such as /export/volumes')
      .optional(),
  })
  .superRefine((c, ctx) => {
    const wrong = (path: string, message: string) => ctx.addIssue({ code: 'custom', path: [path], message });
    if (c.kind === 'nfs' && !c.server) wrong('server', 'an NFS class has a server');
    if (c.kind === 'nfs' && !c.path) wrong('path', 'an NFS class has a path');
    if (c.kind !== 'copies' && (c.copies || c.apart || c.mayShare || c.rebuild))
      wrong(
        c.copies ? 'copies' : c.apart ? 'apart' : c.mayShare ? 'mayShare' : 'rebuild',
        'only a class with copies in the cluster has them',
      );
    if (c.kind !== 'nfs' && (c.server || c.path)) wrong(c.server ? 'server' : 'path', 'only an NFS class has it');
  });
export type StorageClass = z.infer<typeof StorageClass>;

export const Charter = doc('Charter', {
  name: NameIn('clusters'),
  site: Name,
  purpose: Line(200).default(''),
  owner: Line(80).default(''),
  /** The team whose cluster it is. */
  team: Name.optional(),
  release: VersionName,
  arch: Arch.default('x86-64'),
  addons: z.array(VersionName).max(50).default([]),
  mirror: Name,
  controlPlane: z.strictObject({ count: z.number().int().min(1).max(9), ...asked(9) }),
  /** The first pool of workers, which most clusters have alone. */
  workers: z.strictObject({ count: z.number().int().min(0).max(1000), ...asked(1000), ...forWorkers }),
  /** Further pools of workers, each with a name. */
  pools: z
    .array(z.strictObject({ name: Name, count: z.number().int().min(0).max(1000), ...asked(1000), ...forWorkers }))
    .max(20)
    .optional(),
  /** Hosts that are never chosen; one that serves leaves with the next change. */
  except: z.array(Name).max(1000).optional(),
  machineNetwork: Name,
  /** Further networks that every node has an address in, such as one for volumes. */
  networks: z.array(Name).max(8).optional(),
  pods: z.strictObject({
    range: Cidr,
    perNode: z.number().int().min(16).max(120).default(24),
    most: z.number().int().min(1).max(1000).default(110),
  }),
  services: z.strictObject({ range: ServiceRange }),
  /** The other version of IP beside the first, for nodes, pods and services alike. */
  second: z
    .strictObject({
      /** A network on the link of the machine network, with addresses of the other version. */
      network: Name,
      pods: Cidr,
      perNode: z.number().int().min(16).max(120).default(64),
      services: ServiceRange,
    })
    .optional(),
  overlay: z.strictObject({ kind: z.enum(overlayKinds), mtu: z.number().int().min(576).max(9216).optional() }),
  api: z
    .strictObject({
      name: Fqdn.optional(),
      address: Ip.optional(),
      /** The port at its address and at each control-plane host (TCP); 6443 where it is not set. */
      port: z.number().int().min(1).max(65_535).optional(),
      /** Further names and addresses under which the API is asked: they stand in its certificate. */
      names: z.array(Fqdn).max(50).optional(),
      addresses: z.array(Ip).max(50).optional(),
    })
    .default({}),
  inbound: z.strictObject({ name: Fqdn.optional(), address: Ip.optional() }).default({}),
  /** The address from which the nodes have theirs, one after the other; without it the first run that is free. */
  nodesFrom: Ip.optional(),
  /** An add-on that brings the pod network, in place of the release's own. */
  podNetwork: VersionName.optional(),
  servicePool: z
    .strictObject({
      range: RangeText,
      announce: z.enum(['arp', 'bgp']).default('arp'),
      /** With BGP (RFC 4271): the AS number of the nodes, and the routers that they speak with. */
      as: AsNumber.optional(),
      peers: z
        .array(z.strictObject({ address: Ip, as: AsNumber }))
        .max(16)
        .optional(),
      /** Seconds without a word after which a peer takes a node for gone; 90 where it is not set (RFC 4271 §10). */
      hold: z.number().int().min(3).max(65_535).optional(),
      /** Bidirectional forwarding detection (RFC 5880): milliseconds between two packets, and how many may be missed. */
      bfd: z.strictObject({ interval: z.number().int().min(10).max(10_000), missed: z.number().int().min(1).max(50) }).optional(),
      /** Services that are planned: each keeps its address, which follows by turn where it is not set. */
      services: z
        .array(
          z.strictObject({
            name: Label,
            namespace: Label.default('default'),
            address: Ip.optional(),
            port: z.number().int().min(1).max(65_535).optional(),
          }),
        )
        .max(1000)
        .optional(),
    })
    .optional(),
  /** Services that are planned to be reached at a port of every node. */
  nodePorts: z
    .array(
      z.strictObject({
        name: Label,
        namespace: Label.default('default'),
        /** Of the range that API servers give from where nothing else is said (Kubernetes, kube-apiserver, --service-node-port-range). */
        port: z.number().int().min(30_000).max(32_767),
        protocol: z.enum(['tcp', 'udp']).default('tcp'),
      }),
    )
    .max(1000)
    .optional(),
  /** Clusters that it must not reach, and that must not reach it. */
  apart: z.array(Name).max(100).optional(),
  storage: z.array(StorageClass).max(20).optional(),
  /** What is to run in it. */
  workloads: z.array(Workload).max(2000).optional(),
  /** How volumes of the workloads are backed up. */
  backups: z.array(Backup).max(50).optional(),
  /** Workloads of other clusters whose volumes are kept here too. */
  standbys: z.array(Standby).max(500).optional(),
  /** Time servers, where nodes ask others than their network's; where their logs go; and the time zone of their clocks. */
  ntp: ServerList.optional(),
  syslog: Hostport.optional(),
  timezone: TimeZone.optional(),
  /** Answers to the questions of its add-ons. */
  answers: z
    .array(z.strictObject({ addon: VersionName, question: Name, answer: Line(500) }))
    .max(500)
    .optional(),
  sshKeys: z.array(SshKey).max(20).default([]),
  /** When a host counts as lost, and what happens then; in seconds. */
  timers: z
    .strictObject({
      lease: z.number().int().min(10).max(600).optional(),
      grace: z.number().int().min(10).max(3600).optional(),
      tolerate: z.number().int().min(0).max(86_400).optional(),
      stop: z.number().int().min(0).max(3600).optional(),
    })
    .optional(),
  /** How long certificates hold, in days: those of the cluster, and those of the authorities that sign them. */
  certificates: z
    .strictObject({
      days: z.number().int().min(1).max(3650).optional(),
      caDays: z.number().int().min(30).max(14_600).optional(),
      /** They are renewed in good time without anybody. */
      byItself: z.boolean().optional(),
      /** How new ones come to a host that stands: over SSH while it runs, as it is without this; or by starting it anew. */
      renewed: z.enum(['running', 'restart']).optional(),
    })
    .optional(),
  /** A host that takes the place of another has its address: it comes when the other has left. */
  keepAddresses: z.boolean().optional(),
  /** How many workers a change may have away at once, at most; without it as many as leave room for what runs. */
  workersAtOnce: z.number().int().min(1).max(100).optional(),
  /** What nodes go through to what is outside; and what they ask directly besides what follows. */
  proxy: z.strictObject({ url: ProxyUrl, except: z.array(ProxyExcept).max(100).optional() }).optional(),
  /** The template that it came from. */
  template: OfTemplate.optional(),
  notes: Line(2000).optional(),
}).superRefine((c, ctx) => {
  const seen = new Map<string, string>([
    ['control-plane', 'is what the control plane is called'],
    ['workers', 'is what the first pool is called'],
  ]);
  for (const [i, p] of (c.pools ?? []).entries()) {
    const taken = seen.get(p.name);
    if (taken) ctx.addIssue({ code: 'custom', path: ['pools', i, 'name'], message: `${p.name} ${taken}` });
    seen.set(p.name, 'is another pool');
  }
  const classes = (c.storage ?? []).map((s) => s.name);
  for (const [i, name] of classes.entries())
    if (classes.indexOf(name) !== i)
      ctx.addIssue({ code: 'custom', path: ['storage', i, 'name'], message: `${name} is another class` });
  const work = (c.workloads ?? []).map((w) => `${w.namespace}/${w.name}`);
  const places = new Map(work.map((name, i) => [name, i]));
  for (const [i, name] of work.entries())
    if (places.get(name) !== i)
      ctx.addIssue({ code: 'custom', path: ['workloads', i, 'name'], message: `${name} is another workload` });
  const plans = (c.backups ?? []).map((b) => b.name);
  for (const [i, name] of plans.entries())
    if (plans.indexOf(name) !== i)
      ctx.addIssue({ code: 'custom', path: ['backups', i, 'name'], message: `${name} is another plan` });
  const kept = (c.standbys ?? []).map((s) => s.workload);
  for (const [i, name] of kept.entries())
    if (kept.indexOf(name) !== i)
      ctx.addIssue({ code: 'custom', path: ['standbys', i, 'workload'], message: `${name} is a standby copy already` });
});
export type Charter = z.infer<typeof Charter>;
