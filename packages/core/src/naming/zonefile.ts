import type { ServedRecord } from '../model/observed.ts';
import type { Zone } from '../model/documents.ts';
import { writeData } from './record-types.ts';

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
export const recordLine = (r: ServedRecord): string => `${r.name}. ${r.ttl} IN ${r.type} ${writeData(r.type, r.value)}`;
