import { parseIp } from '../address/parse.ts';
import type { ServedRecord } from '../model/observed.ts';
import type { Zone } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { classlessRange, pointerName, reverseName, zoneFinder } from './reverse.ts';

export interface PlannedRecord extends ServedRecord {
  zone: string;
  origin: 'follows' | 'by-hand';
  from: string;
}

export const fqdn = (name: string, zone: string) =>
  name === '@' ? zone : name === zone || name.endsWith(`.${zone}`) ? name : `${name}.${zone}`;

/**
 * Every record that the plan asks for: forward and reverse of each named reservation (a wildcard has no
 * reverse), records by hand, and each zone's NS. The SOA is the server's own.
 */
export function plannedRecords(estate: Estate): PlannedRecord[] {
  const out: PlannedRecord[] = [];
  const zoneOf = zoneFinder(estate.zones);
  const add = (zone: Zone | undefined, r: Omit<PlannedRecord, 'zone' | 'ttl'> & { ttl?: number | undefined }) => {
    if (zone) out.push({ ...r, zone: zone.name, ttl: r.ttl ?? zone.ttl });
  };
  for (const zone of estate.zones)
    for (const server of zone.servers)
      add(zone, { name: zone.name, type: 'NS', value: server, origin: 'follows', from: `zone ${zone.name}` });
  const below = estate.zones.filter((z) => classlessRange(z.name));
  for (const z of below)
    for (const server of z.servers)
      add(zoneOf(z.name.slice(z.name.indexOf('.') + 1)), {
        name: z.name,
        type: 'NS',
        value: server,
        origin: 'follows',
        from: `zone ${z.name}`,
      });
  for (const r of estate.reservations) {
    if (!r.name || r.resting) continue;
    const from = `ledger ${r.address}`;
    add(zoneOf(r.name), {
      name: r.name,
      type: parseIp(r.address).v === 4 ? 'A' : 'AAAA',
      value: r.address,
      origin: 'follows',
      from,
    });
    const above = reverseName(r.address);
    const back = below.length ? pointerName(r.address, below) : above;
    if (!r.name.startsWith('*.')) add(zoneOf(back), { name: back, type: 'PTR', value: r.name, origin: 'follows', from });
    // The zone above leads into a zone below a /24 (RFC 2317).
    if (back !== above && !r.name.startsWith('*.'))
      add(zoneOf(above), { name: above, type: 'CNAME', value: back, origin: 'follows', from });
  }
  for (const r of estate.records)
    add(
      estate.zones.find((z) => z.name === r.zone),
      { name: fqdn(r.name, r.zone), type: r.type, value: r.value, ttl: r.ttl, origin: 'by-hand', from: 'by hand' },
    );
  return out;
}

export function recordsOfZone(records: readonly PlannedRecord[], zone: string): PlannedRecord[] {
  const keys = new Map(records.filter((r) => r.zone === zone).map((r) => [r, r.name.split('.').reverse().join('.')] as const));
  const { compare } = collator;
  return [...keys.keys()].sort(
    (a, b) => compare(keys.get(a) ?? '', keys.get(b) ?? '') || compare(a.type, b.type) || compare(a.value, b.value),
  );
}
const collator = new Intl.Collator('en', { numeric: true });
