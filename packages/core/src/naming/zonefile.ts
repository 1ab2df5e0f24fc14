import type { ServedRecord, Zone } from '../model/documents.ts';

/** A master file (RFC 1035 §5): absolute names, one record a line, SOA first. `serial` per RFC 1912 §2.2. */
export function zoneFile(zone: Zone, serial: number, records: readonly ServedRecord[]): string {
  const head = [
    `$ORIGIN ${zone.name}.`,
    `$TTL ${zone.ttl}`,
    `@ IN SOA ${zone.servers[0]}. ${zone.contact}. ( ${serial} 3600 900 1209600 300 )`,
  ];
  return `${[...head, ...records.map((r) => `${r.name}. ${r.ttl} IN ${r.type} ${rdata(r)}`)].join('\n')}\n`;
}

function rdata({ type, value }: ServedRecord): string {
  if (type === 'TXT')
    return (value.match(/[\s\S]{1,255}/g) ?? ['']).map((part) => `"${part.replace(/[\\"]/g, '\\$&')}"`).join(' ');
  if (type === 'SRV') return `${value}.`;
  return type === 'A' || type === 'AAAA' ? value : `${value}.`;
}
