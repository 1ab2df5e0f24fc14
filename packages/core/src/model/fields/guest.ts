import type { Fields } from './field.ts';
import { archChoices, mediaChoices, placeFields } from './shared.ts';

export const hypervisorFields: Fields = {
  name: { label: 'Name', example: 'bw-hv1', mono: true },
  site: { label: 'Site', refers: { kind: 'Site' } },
  endpoint: {
    label: 'Endpoint',
    help: 'Host name and port of its API.',
    example: 'bw-hv1.bw.kestrelferries.example:8443',
    mono: true,
  },
  credential: { label: 'Credential', refers: { key: 'hypervisor' }, mono: true },
  ca: {
    label: 'CA',
    help: 'Certificates in PEM that its own must lead to.',
    rare: true,
    mono: true,
    lines: true,
    file: '.pem,.crt,.cer',
  },
  cores: { label: 'Cores' },
  memoryGiB: { label: 'Memory', unit: 'GiB' },
  keepsGiB: { label: 'Kept for itself', unit: 'GiB' },
  overcommit: { label: 'Overcommit', help: 'How many times over cores may be promised.', unit: '×' },
  pools: { label: 'Disk pools' },
  'pools.*.name': { label: 'Pool', example: 'fast' },
  'pools.*.media': { label: 'Media', choices: mediaChoices },
  'pools.*.sizeGB': { label: 'Size', unit: 'GB' },
  networks: { label: 'Networks', help: 'Networks that guests can be put on, each by its bridge.' },
  'networks.*.network': { label: 'Network', refers: { kind: 'Network' } },
  'networks.*.bridge': { label: 'Bridge', example: 'br400', mono: true },
  ...placeFields,
};

export const mouldFields: Fields = {
  name: { label: 'Name', example: 'node-small', mono: true },
  title: { label: 'Title' },
  vcpu: { label: 'vCPU' },
  memoryGiB: { label: 'Memory', unit: 'GiB' },
  disks: { label: 'Disks', help: 'The first is written from the image, the others are empty.' },
  'disks.*.sizeGB': { label: 'Size', unit: 'GB' },
  'disks.*.media': { label: 'Media', choices: mediaChoices },
  image: { label: 'Image', help: 'As the hypervisor calls it.', example: 'node-base-12', mono: true },
  arch: { label: 'Architecture', choices: archChoices },
  networks: { label: 'Networks', help: 'The first carries the node’s address.', refers: { kind: 'Network', anywhere: true } },
};
