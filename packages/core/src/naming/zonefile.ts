import type { ServedRecord } from '../model/observed.ts';
import type { Zone } from '../model/documents.ts';

/** A master file (RFC 1035 §5): absolute names, one record a line, SOA first. `serial` per RFC 1912 §2.2. */
export function zoneFile(zone: Zone, serial: number, records: readonly ServedRecord[]): string {
  const head = [
    `$ORIGIN ${zone.name}.`,
    `$TTL ${zone.ttl}`,
    `@ IN SOA ${zone.servers[0]}. ${zone.contact}. ( ${serial} 3600 900 1209600 300 )`,
  ];
  return `${[...head, ...records.map(recordLine)].join('\n')}\n`;
}

/** One record as a line of a master file that stands alone: every name absolute. */
export const recordLine = (r: ServedRecord): string => `${r.name}. ${r.ttl} IN ${r.type} ${rdata(r)}`;

const endsInName = new Set(['NS', 'CNAME', 'PTR', 'DNAME', 'MX', 'SRV']);

function rdata({ type, value }: ServedRecord): string {
  if (type === 'TXT' || type === 'SPF') return strings(value);
  if (type === 'SOA') {
    const [server, contact, ...numbers] = value.split(' ');
    return `${server}. ${contact}. ( ${numbers.join(' ')} )`;
  }
  return endsInName.has(type) ? `${value}.` : value;
}

/** A text as strings of at most 255 bytes each (RFC 1035 §3.3), everything that is not plain ASCII escaped. */
function strings(value: string): string {
  const bytes = new TextEncoder().encode(value);
  const parts: string[] = [];
  for (let at = 0; at < bytes.length || at === 0; at += 255)
    parts.push(`"${[...bytes.subarray(at, at + 255)].map(character).join('')}"`);
  return parts.join(' ');
}
const character = (byte: number) => {
  if (byte === 34 || byte === 92) return `\\${String.fromCharCode(byte)}`;
  return byte >= 32 && byte < 127 ? String.fromCharCode(byte) : `\\${String(byte).padStart(3, '0')}`;
};
