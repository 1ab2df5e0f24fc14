import type { Fields } from './field.ts';

export const reservationFields: Fields = {
  address: { label: 'Address', example: '10.62.8.61', mono: true },
  network: { label: 'Network', refers: { kind: 'Network', anywhere: true }, mono: true },
  name: { label: 'DNS name', mono: true },
  mac: { label: 'MAC', mono: true },
  owner: { label: 'Owner' },
  'owner.kind': {
    label: 'Owner is a',
    choices: { charter: 'charter', host: 'host', registry: 'registry', site: 'site', hand: 'person or team' },
  },
  'owner.name': { label: 'Owner' },
  'owner.use': { label: 'Used for' },
  origin: {
    label: 'Origin',
    by: 'acts',
    choices: { follows: 'follows', 'by-hand': 'by hand', imported: 'imported', sighted: 'seen in use' },
  },
  since: { label: 'Since', by: 'acts' },
  resting: { label: 'Resting', help: 'Released; only given when requested by address.', by: 'acts' },
  until: { label: 'Until', help: 'When it ends by itself.' },
  note: { label: 'Note' },
};
