import { addonsOf } from './bills.ts';
import { leftOver } from '../ledger/left-over.ts';
import { unplannedService } from '../ledger/service-of.ts';
import type { Doc, Kind } from './documents.ts';
import { docsOf, type Estate, keyOf } from './estate.ts';

/** Something that needs a document to be there, how, and what ends that. */
export interface Use {
  /** Document that uses it: `Host bw-01`. */
  by: string;
  how: string;
  /** What ends the use, and where it is done. */
  act: { label: string; path: string };
}

const page = (doc: Doc): string => {
  switch (doc.kind) {
    case 'Host':
      return `/hosts/${doc.name}`;
    case 'Template':
      return `/clusters/templates/${doc.name}`;
    case 'Charter':
      return `/clusters/${doc.name}`;
    case 'Gateway':
      return `/addresses/routes?gateway=${doc.name}`;
    case 'Network':
      return `/addresses?network=${doc.name}`;
    case 'Reservation':
      return `/addresses?network=${doc.network}&address=${doc.address}`;
    case 'Zone':
    case 'Record':
      return '/addresses/names';
    case 'Hypervisor':
      return '/hosts/hypervisors';
    case 'Registry':
      return '/images/rules';
    case 'BackupStore':
      return '/clusters/stores';
    case 'Team':
      return `/people/teams?at=${doc.name}`;
    default:
      return `/declare?edit=${encodeURIComponent(`${doc.kind} ${keyOf(doc)}`)}`;
  }
};

/** What one document refers to: the kind, the key, and how. A new reference is a line. */
export function* references(doc: Doc): Generator<[Kind, string, string, label?: string]> {
  if ('site' in doc) yield ['Site', doc.site, 'belongs to it'];
  switch (doc.kind) {
    case 'Network':
      if (doc.parent) yield ['Network', doc.parent, 'is carved out of it'];
      for (const n of doc.routesTo) yield ['Network', n, 'routes to it', 'Remove the route'];
      if (doc.precinct) yield ['Charter', doc.precinct, 'is its precinct', 'Give the precinct back'];
      if (doc.precincts) {
        yield ['Gateway', doc.precincts.gateway, 'has precincts that it routes for'];
        for (const n of doc.precincts.outbound) yield ['Network', n, 'has precincts that leave in it'];
      }
      break;
    case 'Gateway':
      for (const n of new Set([...doc.members.flatMap((m) => m.interfaces), ...doc.addresses].map((f) => f.network)))
        yield ['Network', n, 'has an address in it'];
      break;
    case 'Host':
      if (doc.guest) {
        yield ['Mould', doc.guest.mould, 'is cast from it'];
        yield ['Hypervisor', doc.guest.hypervisor, 'stands on it', 'Remove the guest'];
      }
      if (doc.held)
        yield ['Charter', doc.held.charter, doc.state === 'serving' ? 'serves it' : 'is held for it', 'Give the host back'];
      break;
    case 'Hypervisor':
      for (const n of doc.networks) yield ['Network', n.network, 'has a bridge to it'];
      break;
    case 'Mould':
      for (const n of doc.networks) yield ['Network', n, 'puts guests on it'];
      break;
    case 'BackupStore':
      if (doc.host) yield ['Host', doc.host, 'runs on it'];
      break;
    case 'Registry':
      if (doc.host) yield ['Host', doc.host, 'runs on it'];
      break;
    case 'Release':
    case 'Addon':
      yield ['Registry', doc.source, 'comes from it'];
      break;
    case 'Charter':
      yield ['Release', doc.release, 'is built from it', 'Choose another release'];
      for (const a of addonsOf(doc)) yield ['Addon', a, 'has it', 'Take it out of the charter'];
      yield ['Registry', doc.mirror, 'pulls from it', 'Choose another mirror'];
      for (const s of new Set((doc.backups ?? []).map((b) => b.store)))
        yield ['BackupStore', s, 'is backed up there', 'Choose another store'];
      for (const c of doc.apart ?? []) yield ['Charter', c, 'is kept apart from it', 'Take it out of the charter'];
      for (const c of new Set((doc.standbys ?? []).map((s) => s.cluster)))
        yield ['Charter', c, 'keeps standby copies of it', 'Take them out of the charter'];
      if (doc.team) yield ['Team', doc.team, 'is a cluster of it', 'Give the cluster to another team'];
      if (doc.template) yield ['Template', doc.template.name, 'came from it', 'Let the charter forget it'];
      yield ['Network', doc.machineNetwork, 'has its machines in it'];
      if (doc.second) yield ['Network', doc.second.network, 'has its machines in it too', 'Take it out of the charter'];
      for (const n of doc.networks ?? []) yield ['Network', n, 'has its machines in it too', 'Take it out of the charter'];
      for (const mould of new Set([doc.controlPlane, doc.workers, ...(doc.pools ?? [])].map((p) => p.mould)))
        if (mould) yield ['Mould', mould, 'asks for guests of it', 'Choose other hosts'];
      break;
    case 'Reservation':
      yield ['Network', doc.network, 'lies in it', 'Release the address'];
      if (doc.owner.kind === 'host') yield ['Host', doc.owner.name, 'is reserved for it', 'Release the address'];
      if (doc.owner.kind === 'charter') yield ['Charter', doc.owner.name, 'is reserved for it', 'Release the address'];
      if (doc.owner.kind === 'registry') yield ['Registry', doc.owner.name, 'is reserved for it', 'Release the address'];
      break;
    case 'Record':
      yield ['Zone', doc.zone, 'stands in it', 'Delete the record'];
      break;
  }
}

/**
 * What uses each of some documents, in an estate: nothing that is used may be deleted. A host that a charter holds is
 * used by that charter, and so are the addresses of a cluster that serves.
 *
 * @returns by `Kind key`; only those that are used
 */
export function usesOf(estate: Estate, of: readonly { kind: Kind; key: string; doc?: Doc }[]): Map<string, Use[]> {
  const wanted = new Map(of.map((o) => [`${o.kind} ${o.key}`, [] as Use[]]));
  for (const doc of docsOf(estate))
    for (const [kind, key, how, label] of references(doc))
      wanted.get(`${kind} ${key}`)?.push({
        by: `${doc.kind} ${keyOf(doc)}`,
        how,
        act: { label: label ?? `Open ${doc.kind} ${keyOf(doc)}`, path: page(doc) },
      });
  for (const { kind, key, doc } of of) {
    const mine = wanted.get(`${kind} ${key}`);
    if (doc?.kind === 'Host' && doc.held)
      mine?.push({
        by: `Charter ${doc.held.charter}`,
        how: doc.state === 'serving' ? 'is served by it' : 'holds it',
        act: { label: 'Give the host back', path: `/hosts/${doc.name}` },
      });
    if (doc?.kind === 'Reservation' && doc.owner.kind === 'charter') {
      const { name } = doc.owner;
      const left =
        leftOver(doc, (host) => estate.hosts.find((h) => h.name === host))?.is === 'wiped' ||
        unplannedService(
          doc,
          estate.charters.find((c) => c.name === name),
        ) !== undefined;
      if (!left && estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving'))
        mine?.push({
          by: `Charter ${name}`,
          how: 'serves with it',
          act: { label: 'Change its charter, or tear the cluster down', path: `/clusters/${name}` },
        });
    }
  }
  return new Map([...wanted].filter(([, uses]) => uses.length));
}
