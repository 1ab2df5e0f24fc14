import type { Fields } from './field.ts';

export const zoneFields: Fields = {
  name: { label: 'DNS zone', example: 'lr.kestrelferries.example', mono: true },
  site: { label: 'Site', refers: { kind: 'Site' } },
  primary: {
    label: 'Primary server',
    help: 'Its address; signed updates go there (RFC 2136).',
    example: '10.62.8.53',
    mono: true,
  },
  servers: { label: 'Name servers', help: 'Names in its NS records.', example: 'ns1.lr.kestrelferries.example', mono: true },
  contact: { label: 'Contact', help: 'Mail address in its SOA record, with a dot for the @.', rare: true, mono: true },
  key: { label: 'Update key', help: 'Entry of the keyring that signs updates (TSIG).', refers: { key: 'tsig' }, mono: true },
  ttl: { label: 'TTL', unit: 's', rare: true },
};

export const recordFields: Fields = {
  zone: { label: 'Zone', refers: { kind: 'Zone', anywhere: true }, mono: true },
  name: { label: 'Name', help: 'In the zone; @ for the zone itself.', example: '_kube._tcp', mono: true },
  type: { label: 'Type' },
  value: { label: 'Value', help: 'As a zone file has it.', example: '10.62.8.61', mono: true },
  ttl: { label: 'TTL', unit: 's', help: 'Without it: the zone’s.' },
};
