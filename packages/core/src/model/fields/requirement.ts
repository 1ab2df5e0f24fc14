import type { Fields } from './field.ts';
import { purposeChoices } from './shared.ts';

const roles = {
  'control-plane': 'control plane',
  worker: 'worker',
  storage: 'storage',
  registry: 'registry',
  edge: 'edge',
} as const;
const facts = {
  cores: 'cores',
  memory: 'memory',
  'system-disk': 'system disk',
  'second-disk': 'second disk',
  disks: 'number of disks',
  nvme: 'NVMe disks',
  'disk-life': 'endurance that is left',
  link: 'rate of a link',
  links: 'adapters with a link',
  network: 'network that is reached',
  arch: 'architecture',
  'boot-mode': 'boot mode',
  health: 'health',
  firmware: 'firmware',
} as const;

/** A requirement, wherever it stands. */
export const needFields = (at: string): Fields => ({
  [`${at}.fact`]: { label: 'Fact', choices: facts },
  [`${at}.label`]: { label: 'Label' },
  [`${at}.atLeast`]: { label: 'At least' },
  [`${at}.oneOf`]: { label: 'One of', help: 'One a line.', lines: true },
  [`${at}.purpose`]: { label: 'Network', choices: purposeChoices },
});

export const profileFields: Fields = {
  name: { label: 'Role', choices: roles },
  title: { label: 'Title' },
  needs: { label: 'Requirements' },
  ...needFields('needs.*'),
};

export const baselineFields: Fields = {
  name: { label: 'Name', mono: true },
  model: { label: 'Model', help: 'As the machine says it.', example: 'HW-220' },
  system: { label: 'System firmware', help: 'At least; for the rest, name parts.' },
  parts: { label: 'Parts' },
  'parts.*.part': { label: 'Part', help: 'Its identifier in the firmware inventory.', example: 'system' },
  'parts.*.atLeast': { label: 'At least' },
  'parts.*.below': { label: 'Below' },
  'parts.*.to': { label: 'Update to' },
  'parts.*.image': { label: 'Image', help: 'Where the controller fetches it.', mono: true },
  'parts.*.after': { label: 'Requires', help: 'Parts that are updated before.' },
  'parts.*.reboot': { label: 'Restart' },
  'parts.*.minutes': { label: 'Takes', unit: 'min' },
};
