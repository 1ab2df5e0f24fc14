import { plannedRecords, type PlannedRecord } from '../naming/plan.ts';
import { resolve } from '../charter/resolve.ts';
import type { Plan } from '../charter/plan.ts';
import { credentialOf } from '../access/credentials.ts';
import type { Charter, Doc, Kind, Network } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import type { Estate, Slice } from '../model/estate.ts';

export type Area = 'NET' | 'HST' | 'ADR' | 'DNS' | 'IMG' | 'KEY' | 'CHT' | 'STO' | 'SVC' | 'BLD';
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
}
export type Hit = Omit<Finding, 'id' | 'code' | 'area' | 'severity' | 'charters'> & { charters?: string[] };

/**
 * One rule about the estate. `reads` names the slices it looks at: it is run again only when one of them
 * changed. A check decides and explains; it never changes anything.
 */
export interface Check {
  code: string;
  severity: Severity;
  about: string;
  reads: readonly Slice[];
  find: (view: View) => Hit[];
}

/** An estate with what several checks need of it computed once. */
export class View {
  constructor(readonly estate: Estate) {}
  private readonly plans = new Map<string, Plan>();
  plan(c: Charter): Plan {
    let plan = this.plans.get(c.name);
    if (!plan) {
      plan = resolve(c, this.estate);
      this.plans.set(c.name, plan);
    }
    return plan;
  }
  private records: PlannedRecord[] | undefined;
  private zones: Map<string, PlannedRecord[]> | undefined;
  /** Planned records of a zone, in no particular order. */
  plannedIn(zone: string): PlannedRecord[] {
    if (!this.zones) {
      this.zones = new Map();
      for (const r of this.planned()) {
        const list = this.zones.get(r.zone);
        if (list) list.push(r);
        else this.zones.set(r.zone, [r]);
      }
    }
    return this.zones.get(zone) ?? [];
  }
  planned(): PlannedRecord[] {
    this.records ??= plannedRecords(this.estate);
    return this.records;
  }
  /** Whether a cluster stands already: what would stop a build is then no reason to stop it. */
  serves = (c: Charter): boolean => this.estate.hosts.some((h) => h.held?.charter === c.name && h.state === 'serving');
  network = (name: string): Network | undefined => this.estate.networks.find((n) => n.name === name);
  chartersOn = (network: string): string[] => this.estate.charters.filter((c) => c.machineNetwork === network).map((c) => c.name);
  chartersAt = (site: string): string[] => this.estate.charters.filter((c) => c.site === site).map((c) => c.name);
}

/** What a plan reads: nearly everything. */
export const planSlices = [
  'sites',
  'networks',
  'hosts',
  'profiles',
  'baselines',
  'reservations',
  'registries',
  'releases',
  'addons',
  'charters',
  'bills',
  'seenRegistries',
  'zones',
  'hypervisors',
] as const satisfies readonly Slice[];

/** What decides which addresses nobody has and nobody speaks for. */
export const openSlices = [
  'sites',
  'networks',
  'hosts',
  'hypervisors',
  'zones',
  'registries',
  'charters',
  'reservations',
] as const satisfies readonly Slice[];

/** Every credential that a document names, with what a finding about it needs. */
export function named(view: View): (Pick<Hit, 'subject' | 'path' | 'site' | 'charters'> & { entry: string; doc: Named })[] {
  const { estate } = view;
  const of = (doc: Named, charters: string[]) => {
    const c = credentialOf(doc);
    return c
      ? [{ entry: c.entry, doc, subject: { kind: doc.kind, name: doc.name }, path: c.path.split('.'), site: doc.site, charters }]
      : [];
  };
  const guests = (hypervisor: string) =>
    estate.hosts.flatMap((h) => (h.guest?.hypervisor === hypervisor && h.held && h.state === 'held' ? [h.held.charter] : []));
  return [
    ...estate.hosts.flatMap((h) => of(h, h.held && h.state === 'held' ? [h.held.charter] : [])),
    ...estate.hypervisors.flatMap((h) => of(h, [...new Set(guests(h.name))])),
    ...estate.zones.flatMap((z) => of(z, view.chartersAt(z.site))),
    ...estate.registries.flatMap((r) =>
      of(
        r,
        estate.charters.filter((c) => c.mirror === r.name).map((c) => c.name),
      ),
    ),
  ];
}
type Named = Extract<Doc, { kind: 'Host' | 'Hypervisor' | 'Zone' | 'Registry' }>;
