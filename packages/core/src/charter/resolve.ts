import { bits, formatIp, parsePrefix } from '../address/parse.ts';
import { heldBy, missing, mirrorRules, sizeOf } from '../images/index.ts';
import { bytesText, counted } from '../words/amounts.ts';
import type { Bill } from '../model/observed.ts';
import type { Charter } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { addressing } from './addresses.ts';
import { capacityOf, overhead, quorumOf } from './arithmetic.ts';
import { certificatesFor } from './certificates.ts';
import { disksOf } from './disks.ts';
import { place } from './placement.ts';
import { interfaceWithAddress, uplinkFor } from './uplink.ts';
import type { Follow, Plan, PlannedNode, Problem } from './plan.ts';

/**
 * Everything that follows from a charter in its estate. Deterministic: the same input gives the same plan,
 * and what is already held stays. Never throws on a valid charter; what is lacking is in `problems`.
 */
export function resolve(charter: Charter, estate: Estate): Plan {
  const problems: Problem[] = [];
  const site = estate.sites.find((s) => s.name === charter.site);
  const network = estate.networks.find((n) => n.name === charter.machineNetwork && n.site === charter.site);
  const release = estate.releases.find((r) => r.name === charter.release);
  const mirror = estate.registries.find((r) => r.name === charter.mirror);
  const problem = (about: Problem['about'], path: Problem['path'], text: string, more: Partial<Problem> = {}) =>
    problems.push({ about, path, text, ...more });
  if (!site) problem('site', ['site'], `there is no site ${charter.site}`);
  if (!network) problem('network', ['machineNetwork'], `there is no network ${charter.machineNetwork} at ${charter.site}`);
  if (!release) problem('release', ['release'], `there is no release ${charter.release}`);
  if (!mirror) problem('mirror', ['mirror'], `there is no registry ${charter.mirror}`);
  charter.addons.forEach((name, i) => {
    if (!estate.addons.some((a) => a.name === name)) problem('addon', ['addons', i], `there is no add-on ${name}`);
  });

  const placement = place(charter, estate);
  for (const s of placement.short)
    problem(s.role === 'worker' ? 'workers' : 'control-plane', s.path, `${s.found} of ${s.wanted} hosts found`, {
      wanted: s.wanted,
      found: s.found,
    });
  const addr = addressing(charter, site, network, placement.chosen, estate);
  if (addr.failed) problem('addresses', ['machineNetwork'], addr.failed);
  if (network && (!addr.api || !addr.inbound))
    problem('addresses', ['machineNetwork'], `${network.name} has no free virtual address left`);

  const nodes = placement.chosen.map((c): PlannedNode => {
    const uplink = uplinkFor(c.host, network);
    return {
      host: c.host.name,
      role: c.role,
      zone: c.host.zone ?? '',
      rack: c.host.rack ?? '',
      address: addr.nodes.get(c.host.name)?.address ?? '',
      name: `${c.host.name}.${site?.domain ?? ''}`,
      mac: uplink.adapters[0]?.mac ?? '',
      nic: interfaceWithAddress(uplink),
      ...(uplink.bond || uplink.vlan ? { uplink } : {}),
      ...(c.host.bmc ? { bmc: c.host.bmc.address } : {}),
      ...(c.host.guest ? { guest: { hypervisor: c.host.guest.hypervisor, mould: c.host.guest.mould } } : {}),
      facts: c.host.facts as PlannedNode['facts'],
      kept: c.kept,
      why: c.why,
    };
  });

  const wantedBills = [charter.release, ...charter.addons];
  const bills = wantedBills.map((n) => estate.observed.bills[n]).filter((b): b is Bill => b !== undefined);
  const total = sizeOf(bills);
  const seen = mirror && estate.observed.registries[mirror.name];
  const lack = missing(bills, heldBy(seen, mirror));
  const images: Plan['images'] = {
    names: wantedBills,
    images: bills.reduce((n, b) => n + b.images.length, 0),
    blobs: total.blobs,
    declaredBytes: total.declaredBytes,
    bytes: total.bytes,
    missingBlobs: lack.blobs,
    missingDeclaredBytes: lack.declaredBytes,
    missingImages: lack.images,
    known: bills.length === wantedBills.length && seen !== undefined && !(seen.error && seen.digests.length === 0),
  };
  if (bills.length < wantedBills.length)
    problem(
      'bill',
      ['release'],
      `the bill of ${wantedBills.filter((n) => !estate.observed.bills[n]).join(', ')} has not been computed`,
    );

  const podPrefix = parsePrefix(charter.pods.range);
  const blockBits = bits(podPrefix.v) - charter.pods.perNode;
  const perBlock = blockBits > 20 ? 1_000_000 : 2 ** Math.max(0, blockBits) - 2;
  const servicePrefix = parsePrefix(charter.services.range);
  const link = network?.mtu ?? 1500;
  const over = overhead(charter.overlay.kind, network ? parsePrefix(network.prefix).v : 4);
  const plan: Plan = {
    charter,
    ...(site ? { site } : {}),
    ...(network ? { network } : {}),
    ...(release ? { release } : {}),
    ...(mirror ? { mirror } : {}),
    nodes,
    notChosen: placement.notChosen,
    api: { name: addr.apiName, address: addr.api ?? '' },
    inbound: { name: addr.inboundName, address: addr.inbound ?? '' },
    podMtu: { link, overhead: over, pod: charter.overlay.mtu ?? link - over },
    room: {
      nodes: charter.pods.perNode < podPrefix.length ? 0 : 2 ** Math.min(30, charter.pods.perNode - podPrefix.length),
      podsPerNode: Math.min(charter.pods.most, perBlock),
      services: 2 ** Math.min(30, bits(servicePrefix.v) - servicePrefix.length) - 2,
    },
    quorum: quorumOf(charter.controlPlane.count),
    capacity: capacityOf(nodes),
    images,
    mirrorRules: mirror ? mirrorRules(bills, mirror) : [],
    certificates: [],
    reservations: addr.reservations,
    follows: [],
    problems,
  };
  plan.certificates = certificatesFor(plan, formatIp({ v: servicePrefix.v, n: servicePrefix.n + 1n }));
  plan.follows = followsOf(plan, addr.inARow);
  return plan;
}

function followsOf(plan: Plan, inARow: boolean): Follow[] {
  const { charter, nodes, images, quorum: q, podMtu: mtu, room, capacity: cap } = plan;
  const follows: Follow[] = [];
  const short = (name: string) =>
    plan.site && name.endsWith(`.${plan.site.domain}`) ? name.slice(0, -plan.site.domain.length - 1) : name;
  const add = (id: string, section: Follow['section'], label: string, text: string, why: string[], mono = false) =>
    follows.push({ id, section, label, text, why, mono });
  add(
    'bill',
    1,
    'Bill',
    images.images
      ? `${counted(images.images, 'image')}, ${counted(images.blobs, 'layer')}, ${bytesText(images.declaredBytes)}`
      : 'not computed yet',
    [
      `release ${charter.release}${charter.addons.length ? ` and ${charter.addons.join(', ')}` : ''}, walked at the source: index → manifest → config and layers`,
      'each layer counted once, however many images hold it',
    ],
  );
  add(
    'held',
    1,
    'At mirror',
    images.known ? `${images.blobs - images.missingBlobs} of ${images.blobs} layers` : 'not measured yet',
    [`digests read from ${charter.mirror}`, 'against the bill above'],
  );
  add(
    'redirects',
    1,
    'Redirects',
    plan.mirrorRules.length ? `${plan.mirrorRules.map((r) => r.source).join(', ')} → ${plan.mirror?.endpoint}` : 'none',
    [
      'one rule for each source registry in the bill',
      'manifests keep their image names; the container runtime redirects the pull',
    ],
    true,
  );
  for (const role of ['control-plane', 'worker'] as const) {
    const of = nodes.filter((n) => n.role === role);
    add(
      role,
      2,
      role === 'worker' ? 'Workers' : 'Control plane',
      of.map((n) => `${n.host} ${n.zone}`).join(' · ') || 'no host yet',
      of.map((n) => `${n.host}: ${n.why}`),
      true,
    );
  }
  if (plan.notChosen.length)
    add(
      'not-chosen',
      2,
      'Not chosen',
      foldedReasons(plan.notChosen),
      plan.notChosen.map((n) => `${n.host}: ${n.why}`),
    );
  const disks = diskGroups(nodes);
  if (disks.length)
    add(
      'disks',
      2,
      'Disks',
      disks.map((g) => `${disks.length > 1 ? `${g.hosts.join(' ')}: ` : ''}${g.uses}`).join('; '),
      nodes.map((n) => {
        const uses = disksOf(n).map((p) => `${p.disk.bay} (${p.disk.sizeGB} GB, ${p.why}) for ${useText[p.use]}`);
        return `${n.host}: ${uses.join(', ') || 'its one disk was written from its image'}`;
      }),
    );
  add(
    'quorum',
    2,
    'Quorum',
    `${q.majority} of ${q.members}; ${q.tolerates ? `${q.tolerates} may be lost` : 'none may be lost'}`,
    [
      `majority of ${q.members} members: ⌊${q.members}/2⌋ + 1 = ${q.majority}`,
      `tolerates ${q.members} − ${q.majority} = ${q.tolerates}`,
    ],
  );
  add(
    'capacity',
    2,
    'Usable capacity',
    `${cap.cores} cores, ${cap.memoryGiB} GiB; ${cap.coresAfterLoss} cores, ${cap.memoryAfterLoss} GiB after losing one`,
    ['workers only; 1 core and 2.1 GiB a host kept for system, Kubernetes and eviction', 'after losing the largest worker'],
  );
  add(
    'pod-mtu',
    3,
    'Pod MTU',
    charter.overlay.mtu
      ? `${mtu.link - mtu.overhead} would follow; ${charter.overlay.mtu} is set`
      : `${mtu.pod} = ${mtu.link} − ${mtu.overhead}`,
    [`link MTU ${mtu.link} from ${charter.machineNetwork}`, `${charter.overlay.kind} adds ${mtu.overhead} bytes`],
  );
  add('room', 3, 'Room', `${room.nodes} nodes, ${room.podsPerNode} pods each; ${nodes.length} planned`, [
    `${charter.pods.range} holds 2^(${charter.pods.perNode} − ${charter.pods.range.split('/')[1]}) blocks of /${charter.pods.perNode}`,
    `most pods a node: the smaller of ${charter.pods.most} and the block`,
  ]);
  add('service-room', 3, 'Service addresses', `${room.services}`, [`size of ${charter.services.range} less its ends`]);
  add(
    'api',
    4,
    'API',
    `${short(plan.api.name)} ${plan.api.address || '—'}`,
    [
      charter.api.name ? 'name set in the charter' : `name kube.<cluster>.<site's domain>`,
      charter.api.address ? 'address set in the charter' : 'address: reserved already, or the lowest free of the virtual pool',
      `in full ${plan.api.name}`,
      'forward and reverse record',
    ],
    true,
  );
  add(
    'inbound',
    4,
    'Inbound',
    `${short(plan.inbound.name)} ${plan.inbound.address || '—'}`,
    [
      charter.inbound.name ? 'name set in the charter' : `name *.in.<cluster>.<site's domain>`,
      'address: reserved already, or the next free of the virtual pool',
      `in full ${plan.inbound.name}`,
      'wildcard: forward only',
    ],
    true,
  );
  const row = nodes.map((n) => n.address).filter(Boolean);
  add(
    'node-addresses',
    4,
    'Nodes',
    row.length ? (inARow ? `${row[0]} – .${row.at(-1)?.split('.').at(-1)}, ${row.length} in a row` : row.join(', ')) : '—',
    nodes.map((n) => `${n.host} → ${n.address}, bound to ${n.mac}`),
    true,
  );
  add(
    'certificates',
    5,
    'Certificates',
    `${plan.certificates.length}, first to be renewed after ${Math.min(...plan.certificates.map((x) => x.days), 3650)} days`,
    plan.certificates.filter((x) => x.server).map((x) => `${x.name}: ${[...x.names, ...x.addresses].join(', ')}`),
  );
  return follows;
}

const useText = { system: 'the system', containers: 'containers', etcd: 'etcd' } as const;
/** Which disks are for what, hosts alike together. */
function diskGroups(nodes: Plan['nodes']): { uses: string; hosts: string[] }[] {
  const groups = new Map<string, string[]>();
  for (const n of nodes) {
    const uses = disksOf(n)
      .map((p) => `${useText[p.use]} on ${p.disk.bay}`)
      .join(', ');
    if (uses) groups.set(uses, [...(groups.get(uses) ?? []), n.host]);
  }
  return [...groups].map(([uses, hosts]) => ({ uses, hosts }));
}

/** From so many on, hosts are told by their reason and number; each with its own stands in the why. */
const listsHosts = 7;
function foldedReasons(list: readonly { host: string; why: string }[]): string {
  if (list.length <= listsHosts) return list.map((n) => `${n.host}: ${n.why}`).join('; ');
  const byReason = new Map<string, string[]>();
  for (const n of list) byReason.set(n.why, [...(byReason.get(n.why) ?? []), n.host]);
  const groups = [...byReason].map(([why, hosts]) => `${hosts.length === 1 ? hosts[0] : counted(hosts.length, 'host')}: ${why}`);
  return `${groups.slice(0, listsHosts).join('; ')}${groups.length > listsHosts ? `; and ${groups.length - listsHosts} more reasons` : ''}`;
}
