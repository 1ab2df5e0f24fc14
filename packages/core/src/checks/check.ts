import { credentialOf } from '../access/credentials.ts';
import type { Computed } from '../charter/plan.ts';
import { planOf } from '../charter/resolve.ts';
import { coverage, type Covered } from '../backup/plans.ts';
import type { Doc, DocOf, Kind } from '../model/documents.ts';
import { type Room, roomOf } from '../rehearse/room.ts';
import type { Edit } from '../model/edit.ts';
import { keyOf } from '../model/estate.ts';
import type { GroupOf, Shelved, ShelfName, View } from '../reading/index.ts';

export type Area = 'NET' | 'HST' | 'ADR' | 'DNS' | 'IMG' | 'KEY' | 'CHT' | 'STO' | 'SVC' | 'BLD' | 'TPL' | 'ACC';
export type Severity = 'stop' | 'mind' | 'note';

/** What can be done about a finding: described edits, previewed and undone as such, or an act that stands elsewhere. */
export interface Remedy {
  label: string;
  edits?: Edit[];
  act?:
    | { kind: 'send-zone'; zone: string }
    | { kind: 'plan-shipment'; target: string; bills: string[] }
    | { kind: 'open'; path: string };
}
export interface Finding {
  id: string;
  code: string;
  area: Area;
  severity: Severity;
  subject: { kind: Kind | 'Sighting'; name: string };
  path: (string | number)[];
  site: string;
  /** Charters that a `stop` keeps from being built. */
  charters: string[];
  title: string;
  text: string;
  remedy?: Remedy;
  /** Somebody lives with it: why, who, and until when. */
  accepted?: { reason: string; by: string; at: string; until: string };
}
export type Hit = Omit<Finding, 'id' | 'code' | 'area' | 'severity' | 'charters' | 'accepted'> & { charters?: string[] };

interface About {
  code: string;
  severity: Severity;
  about: string;
}
/**
 * One rule about the estate. It is asked of one document, or of one group of documents, at a time, and reads whatever else it needs from
 * the view: it is asked again when something that it read has changed. A check decides and explains; it never changes anything.
 */
export interface Check extends About {
  /** The documents that it is asked of: of one kind or several, or of the groups of a kind. */
  of: { shelf: ShelfName; group?: string }[];
  find: (subject: never, view: View) => Hit[];
}

/** A check of each document of a kind, or of several kinds. */
export const each = <K extends ShelfName>(
  shelves: K | readonly K[],
  check: About & { find: (doc: Shelved[K], view: View) => Hit[] },
): Check => ({ ...check, of: [shelves].flat().map((shelf) => ({ shelf: shelf as K })) });

/** A check of documents that belong together: of each group of them that has more than one. */
export const eachGroup = <K extends ShelfName>(
  shelf: K,
  group: GroupOf<K>,
  check: About & { find: (docs: readonly [Shelved[K], ...Shelved[K][]], view: View) => Hit[] },
): Check => ({ ...check, of: [{ shelf, group }] });

/** A finding about a field of a document, with what it says. */
export const at = (
  doc: Doc,
  path: (string | number)[],
  said: Pick<Hit, 'title' | 'text'> & Partial<Pick<Hit, 'remedy' | 'charters' | 'site'>>,
): Hit => ({
  subject: { kind: doc.kind, name: keyOf(doc) },
  path,
  site: doc.kind === 'Site' ? doc.name : 'site' in doc ? doc.site : '',
  ...said,
});
/** A remedy that sets one field, or with undefined lets it follow. */
export const setTo = (doc: Doc, path: (string | number)[], value: unknown, label: string): Remedy => ({
  label,
  edits: [{ op: 'set', kind: doc.kind, key: keyOf(doc), path, value }],
});
/** A remedy that opens a document for change. */
export const openDoc = (doc: Doc, label = `Open ${keyOf(doc)}`): Remedy => ({
  label,
  act: { kind: 'open', path: `/declare?edit=${encodeURIComponent(`${doc.kind} ${keyOf(doc)}`)}` },
});

type Charter = DocOf<'Charter'>;
/** The plan of a charter, kept as long as all that it was computed from. */
export const planFor = (view: View, c: Charter): Computed => planOf(view, c.name);
/** Who stands where in a cluster, for what a loss does to it. */
export const roomFor = (view: View, c: Charter): Room => view.memo(`room of ${c.name}`, () => roomOf(planFor(view, c)));
/** Sites and stores that backups of a cluster have to do with. */
export function backedUpWith(view: View, c: Charter) {
  const backupStores = [...new Set((c.backups ?? []).map((b) => b.store))].flatMap((name) => view.get('BackupStore', name) ?? []);
  const sites = [...new Set([c.site, ...backupStores.map((s) => s.site)])].flatMap((name) => view.get('Site', name) ?? []);
  return { backupStores, sites };
}
/** How backups of the volumes of a cluster come out. */
export const coverageFor = (view: View, c: Charter): Covered[] =>
  view.memo(`backups of ${c.name}`, () => {
    const read = view.get('Charter', c.name) ?? c;
    return coverage(read, backedUpWith(view, read), Date.parse(view.now));
  });
export { serves } from '../charter/stands.ts';
export const chartersOn = (view: View, network: string): string[] => view.by('Charter', 'network', network).map((c) => c.name);
export const chartersAt = (view: View, site: string): string[] => view.by('Charter', 'site', site).map((c) => c.name);
/** Time zone of a site. */
export const clockOf = (view: View, site: string): string => view.get('Site', site)?.timezone ?? 'UTC';

/** A document that names a credential, with what a finding about that needs. */
export function credentialNamed(view: View, doc: Named) {
  const c = credentialOf(doc);
  if (!c) return undefined;
  const held = (h: DocOf<'Host'>) => (h.held && h.state === 'held' ? [h.held.charter] : []);
  const charters =
    doc.kind === 'Host'
      ? held(doc)
      : doc.kind === 'Hypervisor'
        ? [...new Set(view.by('Host', 'hypervisor', doc.name).flatMap(held))]
        : doc.kind === 'Zone'
          ? chartersAt(view, doc.site)
          : doc.kind === 'BackupStore'
            ? []
            : view.by('Charter', 'mirror', doc.name).map((x) => x.name);
  return {
    to: c,
    at: { subject: { kind: doc.kind, name: doc.name }, path: c.path.split('.'), site: doc.site, charters } satisfies Partial<Hit>,
  };
}
export type Named = Extract<Doc, { kind: 'Host' | 'Hypervisor' | 'Zone' | 'Registry' | 'BackupStore' }>;
/** Kinds of which documents name credentials. */
export const namingKinds = ['Host', 'Hypervisor', 'Zone', 'Registry', 'BackupStore'] as const;
