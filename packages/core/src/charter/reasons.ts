import type { Reason } from './plan.ts';
import { usualApiPort } from './ports.ts';
import type { Domain } from './spread.ts';

const nounOf: Record<Domain, string> = { zone: 'zone', rack: 'rack', feed: 'power feed' };
type Figures = Reason['figures'];

/** The words of every rule that something follows by. A reason is a rule, its figures and the field it goes back to; it is said here. */
const words = {
  'bill walked': (f) => `release ${f.release}, walked at the source: index → manifest → config and layers`,
  'bill of add-ons': (f) => `and the add-ons ${f.addons}`,
  'layers once': () => 'each layer counted once, however many images hold it',
  'digests read': (f) => `digests read from ${f.mirror}`,
  'against the bill': () => 'against the bill above',
  'rule for each source': () => 'one rule for each source registry in the bill',
  'names stay': () => 'manifests keep their image names; the container runtime redirects the pull',
  'system of a pool': (f) => `${f.pool} names ${f.system}`,
  'first system': (f) => `${f.pool} names none: the first that release ${f.release} has`,
  'host chosen': (f) => `${f.host}: ${f.why}`,
  spread: (f) =>
    `${f.used} ${f.used === 1 ? nounOf[f.domain as Domain] : `${nounOf[f.domain as Domain]}s`} of the ${f.atMost} that so many hosts could use${f.used === f.atMost ? '' : `: at most ${Number(f.atMost) - Number(f.used)} from the best`}`,
  'host not chosen': (f) => `${f.host}: ${f.why}`,
  'disks of a host': (f) => `${f.host}: ${f.uses}`,
  'disk of a guest': (f) => `${f.host}: its one disk was written from its image`,
  majority: (f) => `majority of ${f.members} members: ⌊${f.members}/2⌋ + 1 = ${f.majority}`,
  tolerates: (f) => `tolerates ${f.members} − ${f.majority} = ${f.tolerates}`,
  'kept for the system': (f) => `${f.of}; 1 core and 2.1 GiB a host kept for system, Kubernetes and eviction`,
  'after losing the largest': (f) => `after losing the largest ${f.which}`,
  'without a domain': (f) => `without ${f.domain} ${f.name}, which holds most: ${f.cores} cores, ${f.memory} GiB`,
  'only host': () =>
    'a cluster of one host has no other to go to; it runs its workloads on the control plane, and is warned of nothing that only more hosts could mend',
  lease: (f) => `a host renews its lease of ${f.lease} s every ${f.every} s`,
  grace: (f) => `without a sign for ${f.grace} s it counts as lost`,
  'pods move': (f) => `its pods wait ${f.tolerate} s more: ${f.grace} + ${f.tolerate} = ${f.moved} s`,
  'time to stop': (f) => `a host that is shut down gives its pods ${f.stop} s`,
  'proxy for images': () => 'the container runtime goes through it to what is outside',
  'asked directly': (f) => `asked directly: ${f.except}`,
  'link MTU': (f) => `link MTU ${f.mtu} from ${f.network}`,
  'encapsulation adds': (f) => `${f.kind} adds ${f.bytes} bytes`,
  'blocks of the pod range': (f) => `${f.range} holds 2^(${f.perNode} − ${f.length}) blocks of /${f.perNode}`,
  'most pods a node': (f) => `most pods a node: the smaller of ${f.most} and the block`,
  'size of the service range': (f) => `size of ${f.range} less its ends`,
  set: (f) => `${f.what} set in the charter`,
  'name of the API': () => "name kube.<cluster>.<site's domain>",
  'name of inbound': () => "name *.in.<cluster>.<site's domain>",
  'port of the API': () => `port ${usualApiPort}, as an API server has it of itself`,
  'virtual address': () => 'address: reserved already, or the lowest free of the virtual pool',
  'next virtual address': () => 'address: reserved already, or the next free of the virtual pool',
  'in full': (f) => `in full ${f.name}`,
  'forward and reverse': () => 'forward and reverse record',
  'forward only': () => 'wildcard: forward only',
  'node address': (f) => `${f.host} → ${f.address}, bound to ${f.mac}`,
  'service set': (f) => `${f.name} → ${f.address}, set in the charter`,
  'service held': (f) => `${f.name} → ${f.address}, reserved for it`,
  'service turn': (f) => `${f.name} → ${f.address}, the next of the pool that nobody has`,
  'announced so': () => 'as the charter has it',
  'part of an outage': (f) => `${f.what}: ${f.seconds} s`,
  'announcing needs': (f) => `needs ${f.what}`,
  'announcing lacks': (f) => `lacks ${f.what}`,
  'hosts of volumes': (f) => `volumes lie on ${f.hosts}`,
  'copies of a class': (f) =>
    `${f.name}: ${f.copies} apart by ${f.apart}, of which there ${f.places === 1 ? 'is' : 'are'} ${f.places}`,
  answered: (f) => `${f.ask} ${f.value}, set for ${f.addon}`,
  'answered by default': (f) => `${f.ask} ${f.value}, the default of ${f.addon}`,
  'run from an address': (f) => `as many in a row from ${f.from}`,
  'address in a further network': (f) => `${f.host} → ${f.address} at ${f.nic}, tagged on ${f.on}`,
  'one minor version at a time': (f) => `from ${f.from} one minor version at a time, each within what the next takes over`,
  'add-ons that stay behind': (f) => `${f.to} does not run ${f.addons} as they are`,
  'names of a certificate': (f) => `${f.name}: ${f.names}`,
} as const satisfies Record<string, (figures: Figures) => string>;

export type Rule = keyof typeof words;
/** A reason as somebody reads it. */
export const reasonText = (r: Reason): string => words[r.rule](r.figures);
/** Every rule there is. */
export const rules = Object.keys(words) as Rule[];
