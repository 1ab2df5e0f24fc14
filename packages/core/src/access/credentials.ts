import { holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { same } from '../model/difference.ts';
import type { Doc } from '../model/documents.ts';
import { keyOf } from '../model/estate.ts';
import { includes, type Role } from './acts.ts';

/** What a credential is for: it is sent to nothing of another kind. */
export const keyUses = ['bmc', 'hypervisor', 'registry', 'tsig', 'objects', 'encryption', 'other'] as const;
export type KeyUse = (typeof keyUses)[number];

/**
 * An entry of the keyring without its content. `places` are where it may be sent, one a line: a document
 * (`Registry lr-registry`: wherever that document says), a host name (`registry.lr.example`, `*.bw.example`), an
 * address or a prefix (`10.62.7.0/24`). Without places it is sent nowhere.
 */
export interface KeyringEntry {
  name: string;
  use: string;
  places: readonly string[];
}
/** Where a credential is about to be sent, as far as it is known. */
export interface Destination {
  use: KeyUse;
  /** `Registry lr-registry`: the document that says so. */
  document?: string;
  /** Name of the host as it is declared; without a port. */
  host?: string;
  /** Address that is connected to, as the plan has it. */
  address?: string;
}

const documentPlace = /^[A-Z][A-Za-z]+ \S+$/;
/** What a place is, read once; undefined: it cannot be read. */
function read(place: string): { document: string } | { host: string } | { range: ReturnType<typeof prefixRange> } | undefined {
  if (documentPlace.test(place)) return { document: place };
  if (/^[0-9a-f.:]+(\/\d{1,3})?$/i.test(place) && /[.:]/.test(place)) {
    try {
      return { range: prefixRange(parsePrefix(place.includes('/') ? place : `${place}/${place.includes(':') ? 128 : 32}`)) };
    } catch {
      return undefined;
    }
  }
  return /^(\*\.)?([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)*[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/.test(place)
    ? { host: place }
    : undefined;
}
/** Why a place of a keyring entry cannot be read; undefined: it can. */
export const placeFault = (place: string): string | undefined =>
  read(place) ? undefined : `${JSON.stringify(place)} is neither a document (Registry lr-registry), a host name nor a prefix`;

/**
 * Why an entry may not be sent somewhere; undefined: it may. A host that is declared by its address counts by that.
 *
 * @example
 * keptBack({ name: 'bmc-lr', use: 'bmc', places: ['10.62.7.0/24'] }, { use: 'registry', host: 'evil.example' })
 * // 'bmc-lr is for controllers (bmc), not for a registry'
 */
export function keptBack(entry: KeyringEntry, to: Destination, except?: 'documents'): string | undefined {
  if (entry.use !== to.use) return `${entry.name} is for use ${entry.use}, not for ${to.use}`;
  const address = to.address ?? (to.host && isIp(to.host) ? to.host : undefined);
  const ip = address && isIp(address) ? parseIp(address) : undefined;
  for (const place of entry.places) {
    const p = read(place);
    if (!p) continue;
    if ('document' in p) {
      if (!except && p.document === to.document) return undefined;
    } else if ('host' in p) {
      if (to.host && (p.host.startsWith('*.') ? to.host.endsWith(p.host.slice(1)) : p.host === to.host)) return undefined;
    } else if (ip && holds(p.range, ip)) return undefined;
  }
  const where = [to.host ?? to.address, to.document && `(${to.document})`].filter(Boolean).join(' ') || 'a place without a name';
  return `${entry.name} may not be sent to ${where}: ${entry.places.length ? `its places are ${entry.places.join(', ')}` : 'no places are set for it'}`;
}

export interface NamedCredential extends Destination {
  entry: string;
  /** Field that names it. */
  path: string;
}
/** Name or address of `host:port`; brackets of an IPv6 address are taken off. */
export const hostOf = (endpoint: string): string =>
  endpoint.startsWith('[') ? endpoint.slice(1, endpoint.indexOf(']')) : endpoint.replace(/:\d+$/, '').toLowerCase();

/** The credential that a document names, and where it would be sent. */
export function credentialOf(doc: Doc): NamedCredential | undefined {
  const document = `${doc.kind} ${keyOf(doc)}`;
  if (doc.kind === 'Host' && doc.bmc)
    return { entry: doc.bmc.credential, path: 'bmc.credential', use: 'bmc', document, address: doc.bmc.address };
  if (doc.kind === 'Hypervisor')
    return { entry: doc.credential, path: 'credential', use: 'hypervisor', document, host: hostOf(doc.endpoint) };
  if (doc.kind === 'Registry' && doc.credential)
    return { entry: doc.credential, path: 'credential', use: 'registry', document, host: hostOf(doc.endpoint) };
  if (doc.kind === 'BackupStore' && doc.credential && doc.endpoint)
    return { entry: doc.credential, path: 'credential', use: 'objects', document, host: hostOf(doc.endpoint) };
  if (doc.kind === 'Zone') return { entry: doc.key, path: 'key', use: 'tsig', document, address: doc.primary };
  return undefined;
}

/** Entries of a keyring as documents name them, each with the places they name: what a keyring must have for them. */
export function keysNamedIn(docs: readonly Doc[]): { name: string; use: string; places: string[] }[] {
  const out = new Map<string, { name: string; use: string; places: string[] }>();
  for (const doc of docs) {
    const c = credentialOf(doc);
    if (doc.kind === 'BackupStore') out.set(doc.key, { name: doc.key, use: 'encryption', places: [`BackupStore ${doc.name}`] });
    if (!c) continue;
    const entry = out.get(c.entry) ?? { name: c.entry, use: c.use, places: [] };
    entry.places.push(c.document as string);
    out.set(c.entry, entry);
  }
  return [...out.values()];
}

/**
 * Why a document may not name a credential as it does; undefined: it may. Somebody below a builder names only what the
 * keyring sends to that host or address anyway, whatever the document is called; a warden may name what is allowed later.
 */
export function mayName(
  role: Role,
  before: Doc | null,
  after: Doc,
  keys: readonly KeyringEntry[],
): { message: string; remedy: string; path: string } | undefined {
  const named = credentialOf(after);
  if (!named || includes(role, 'warden')) return undefined;
  if (before && same(credentialOf(before), named)) return undefined;
  const entry = keys.find((k) => k.name === named.entry);
  const why = entry && keptBack(entry, named, includes(role, 'builder') ? undefined : 'documents');
  return why
    ? { message: `${why}.`, remedy: 'A warden can add the place to that entry under Keyring.', path: named.path }
    : undefined;
}
