import type { Estate } from '../model/estate.ts';
import type { ServedRecord } from '../model/observed.ts';
import { type View, viewOf } from '../reading/index.ts';
import { classlessRange, pointerName, reverseName, zoneFinder } from './reverse.ts';

export interface PlannedRecord extends ServedRecord {
  zone: string;
  origin: 'follows' | 'by-hand';
  from: string;
}

export const fqdn = (name: string, zone: string) =>
  name === '@' ? zone : name === zone || name.endsWith(`.${zone}`) ? name : `${name}.${zone}`;

const parentOf = (name: string) => name.slice(name.indexOf('.') + 1);

/** Names of the zones there are, and of those below a /24 (RFC 2317). */
const zoneNames = (view: View) => view.memo('names of zones', () => view.keys('Zone').sort());
/** The declared zone that a name lies in, by its name. */
export const zoneNameOf = (view: View): ((name: string) => string | undefined) =>
  view.memo('zone of a name', () => {
    const find = zoneFinder(zoneNames(view).map((name) => ({ name })));
    return (name: string) => find(name)?.name;
  });
const classless = (view: View): { name: string }[] =>
  view.memo('zones below a /24', () => zoneNames(view).flatMap((name) => (classlessRange(name) ? [{ name }] : [])));

/** For each zone the groups of reservations, by domain and by block of addresses, that its records can come from. */
const sourcesOf = (view: View): ReadonlyMap<string, { domains: string[]; blocks: string[] }> =>
  view.memo('sources of zones', () => {
    const out = new Map(zoneNames(view).map((name) => [name, { domains: [] as string[], blocks: [] as string[] }]));
    const zoneOf = zoneNameOf(view);
    const domains = new Set(view.groups('Reservation', 'domain'));
    for (const d of domains) out.get(zoneOf(d) ?? '')?.domains.push(d);
    // The name of a zone can be a host's name too, and then stands in the domain above it.
    for (const [zone, s] of out) {
      const above = parentOf(zone);
      if (domains.has(above) && !s.domains.includes(above)) s.domains.push(above);
    }
    const blocks = new Map(view.groups('Reservation', 'block').map((b) => [reverseOfBlock(b), b]));
    for (const [name, b] of blocks) out.get(zoneOf(name) ?? '')?.blocks.push(b);
    for (const [zone, s] of out)
      for (let name = parentOf(zone); name.includes('.'); name = parentOf(name)) {
        const b = blocks.get(name);
        if (b !== undefined && !s.blocks.includes(b)) s.blocks.push(b);
      }
    for (const s of out.values()) {
      s.domains.sort();
      s.blocks.sort();
    }
    return out;
  });
/** The reverse name of a block: of its first address, without the labels that tell its addresses apart. */
function reverseOfBlock(block: string): string {
  if (!block.startsWith('6/')) return parentOf(reverseName(`${block}.0`));
  const high = BigInt(block.slice(2)).toString(16).padStart(16, '0');
  return `${[...high].reverse().join('.')}.ip6.arpa`;
}

/**
 * The records that the plan asks of a zone: those of each named reservation, records by hand, its NS, and the NS of zones below a /24
 * that it leads into. The SOA is the server's own. None for a zone that is not declared.
 */
export const plannedIn = (view: View, name: string): readonly PlannedRecord[] =>
  view.memo(`records of ${name}`, () => {
    const zone = view.get('Zone', name);
    if (!zone) return [];
    const out: PlannedRecord[] = [];
    const zoneOf = zoneNameOf(view);
    const below = classless(view);
    const isZone = view.memo('zones there are', () => new Set(zoneNames(view)));
    // Many names have the same domain: the zone of that is looked for once.
    const zones = new Map<string, string | undefined>();
    const lies = (of: string, above = parentOf(of)): boolean => {
      if (isZone.has(of)) return of === name;
      if (!zones.has(above)) zones.set(above, zoneOf(above));
      return zones.get(above) === name;
    };
    const add = (of: string, type: string, value: string, from: string, ttl = zone.ttl) =>
      out.push({ name: of, type, value, origin: 'follows', from, zone: name, ttl });
    const servers = (of: string, list: readonly string[]) => {
      for (const value of list) add(of, 'NS', value, `zone ${of}`);
    };
    servers(name, zone.servers);
    for (const z of below) if (zoneOf(parentOf(z.name)) === name) servers(z.name, view.get('Zone', z.name)?.servers ?? []);
    const sources = view.memo(`sources of ${name}`, () => sourcesOf(view).get(name));
    for (const d of sources?.domains ?? [])
      for (const r of view.by('Reservation', 'domain', d))
        if (lies(r.name as string))
          add(r.name as string, r.address.includes(':') ? 'AAAA' : 'A', r.address, `ledger ${r.address}`);
    for (const block of sources?.blocks ?? []) {
      const of = reverseOfBlock(block);
      for (const r of view.by('Reservation', 'block', block)) {
        const to = r.name as string;
        // Nothing leads back to a wildcard.
        if (to.startsWith('*.')) continue;
        const from = `ledger ${r.address}`;
        const six = r.address.includes(':');
        const above = six ? reverseName(r.address) : `${r.address.slice(r.address.lastIndexOf('.') + 1)}.${of}`;
        const back = below.length ? pointerName(r.address, below) : above;
        if (back === above) {
          if (six ? lies(above) : lies(above, of)) add(above, 'PTR', to, from);
          continue;
        }
        // The zone above leads into a zone below a /24 (RFC 2317).
        if (lies(back)) add(back, 'PTR', to, from);
        if (lies(above)) add(above, 'CNAME', back, from);
      }
    }
    for (const r of view.by('Record', 'zone', name))
      out.push({
        name: fqdn(r.name, name),
        type: r.type,
        value: r.value,
        origin: 'by-hand',
        from: 'by hand',
        zone: name,
        ttl: r.ttl ?? zone.ttl,
      });
    return out;
  });

/** The planned records of a zone by their name. */
export const plannedAt = (view: View, zone: string, name: string): readonly PlannedRecord[] =>
  view
    .memo(`records of ${zone} by name`, () => {
      const by = new Map<string, PlannedRecord[]>();
      for (const r of plannedIn(view, zone)) {
        const list = by.get(r.name);
        if (list) list.push(r);
        else by.set(r.name, [r]);
      }
      return by;
    })
    .get(name) ?? [];

/** Every record that the plan asks for, zone by zone. */
export function plannedRecords(estate: Estate | View): PlannedRecord[] {
  const view = viewOf(estate);
  return zoneNames(view).flatMap((name) => [...plannedIn(view, name)]);
}

export function recordsOfZone(records: readonly PlannedRecord[], zone: string): PlannedRecord[] {
  const keys = new Map(records.filter((r) => r.zone === zone).map((r) => [r, r.name.split('.').reverse().join('.')] as const));
  const { compare } = collator;
  return [...keys.keys()].sort(
    (a, b) => compare(keys.get(a) ?? '', keys.get(b) ?? '') || compare(a.type, b.type) || compare(a.value, b.value),
  );
}
const collator = new Intl.Collator('en', { numeric: true });
