import type { Fields } from './field.ts';
import { placeFields } from './shared.ts';

export const hostFields: Fields = {
  name: { label: 'Name', example: 'lr-02', mono: true },
  site: { label: 'Site', refers: { kind: 'Site' } },
  ...placeFields,
  bmc: { label: 'Controller', help: 'Its BMC, asked over Redfish.' },
  'bmc.address': { label: 'Address', example: '10.62.7.12', mono: true },
  'bmc.credential': { label: 'Credential', refers: { key: 'bmc' }, mono: true },
  'bmc.fingerprint': {
    label: 'Fingerprint',
    help: 'SHA-256 of its certificate. Set when somebody accepts it after a sweep.',
    by: 'acts',
    mono: true,
  },
  'bmc.boot': {
    label: 'First start',
    help: 'From where it starts until a system is on its disk.',
    choices: { http: 'over HTTP', media: 'virtual media', pxe: 'PXE' },
    rare: true,
  },
  uplink: { label: 'Machine network', help: 'Without it: the first adapter that has a link, untagged.', rare: true },
  'uplink.adapters': { label: 'Adapters', help: 'One, or several as a bond.', example: 'eno1, eno2', mono: true },
  'uplink.bond': {
    label: 'Bond',
    choices: { 'active-backup': 'one leads, the others wait', '802.3ad': 'LACP (IEEE 802.1AX)' },
  },
  'uplink.tagged': { label: 'VLAN tagged' },
  guest: { label: 'Guest', help: 'Of a hypervisor, cast from a mould.', rare: true },
  'guest.mould': { label: 'Mould', refers: { kind: 'Mould', anywhere: true } },
  'guest.hypervisor': { label: 'Hypervisor', refers: { kind: 'Hypervisor' } },
  'guest.pools': { label: 'Disk pools', help: 'One for each disk, in the order of the mould.' },
  'guest.group': { label: 'Separation group', help: 'Guests of one group stand on different hypervisors.' },
  state: {
    label: 'State',
    by: 'acts',
    choices: {
      sighted: 'seen, not in the estate',
      listed: 'in the estate',
      fit: 'measured good for a role',
      held: 'promised to a charter',
      serving: 'a node of a cluster',
      resting: 'given back, to be wiped',
      retired: 'not used any more',
    },
  },
  held: { label: 'Held for', by: 'acts' },
  drained: { label: 'Drained', by: 'acts' },
  wiped: { label: 'Wiped', help: 'When its drives were wiped, how, and what each answered.', by: 'acts' },
  facts: { label: 'Facts', help: 'What its controller or an import says of it.', by: 'measured' },
};
