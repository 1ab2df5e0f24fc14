import type { Fields } from './field.ts';

/** Where something stands in a rack: the same for hosts and hypervisors. */
export const placeFields: Fields = {
  rack: { label: 'Rack', refers: { of: 'rack' } },
  unit: { label: 'Unit', help: 'The lowest unit that it takes, counted from below.' },
  height: { label: 'Height', unit: 'units', rare: true },
  side: { label: 'Side', help: 'From which side it is screwed in.', rare: true, choices: { front: 'front', rear: 'rear' } },
  depth: { label: 'Depth', rare: true, choices: { half: 'half of the rack', full: 'the whole rack' } },
  zone: {
    label: 'Zone',
    help: 'Its failure domain. Without it: the zone that its rack and unit lie in.',
    refers: { of: 'zone' },
    rare: true,
  },
  feed: { label: 'Power feed', help: 'Empty: it draws from both.', example: 'A', rare: true },
};

export const archChoices = { 'x86-64': '64-bit x86', arm64: '64-bit Arm' } as const;
export const mediaChoices = { hdd: 'hard disk', ssd: 'SATA or SAS solid state', nvme: 'NVMe solid state' } as const;
export const purposeChoices = {
  management: 'controllers of the hosts (BMC)',
  provisioning: 'installing hosts',
  machine: 'addresses of the nodes',
  storage: 'traffic of volumes',
  tunnel: 'tunnels between nodes or sites',
  uplink: 'to the routers',
  client: 'desks and other clients',
  service: 'addresses of published services',
} as const;
