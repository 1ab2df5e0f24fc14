import type { Fields } from './field.ts';
import { askFields } from './question.ts';
import { archChoices } from './shared.ts';

export const registryFields: Fields = {
  role: {
    label: 'Role',
    choices: {
      source: 'source: images come from there',
      starter: 'starter: the small first one at a site',
      standing: 'standing: the lasting one at a site',
    },
  },
  site: { label: 'Site', refers: { kind: 'Site' } },
  name: { label: 'Name', example: 'lr-registry', mono: true },
  endpoint: { label: 'Endpoint', help: 'Host name and port.', example: 'registry.lr.kestrelferries.example:5000', mono: true },
  credential: {
    label: 'Credential',
    help: 'Entry of the keyring. Empty: it is asked without a user.',
    refers: { key: 'registry' },
    mono: true,
  },
  host: { label: 'Host', help: 'The machine that it runs on, where it is in the estate.', refers: { kind: 'Host' }, rare: true },
  diskGB: { label: 'Disk', unit: 'GB', help: 'What it can hold.' },
  ca: {
    label: 'CA',
    help: 'Certificates in PEM that its own must lead to: paste them, or choose the file.',
    mono: true,
    lines: true,
    file: '.pem,.crt,.cer',
  },
  keeps: { label: 'Kept under', help: 'Images that stand here below another path than their own.', rare: true },
  'keeps.*.source': { label: 'Prefix', help: 'What the image names begin with.', example: 'images.upstream.example', mono: true },
  'keeps.*.under': { label: 'Path', example: 'mirrored', mono: true },
};

const componentFields: Fields = {
  components: { label: 'Components' },
  'components.*.name': { label: 'Component', mono: true },
  'components.*.image': { label: 'Image', mono: true },
  'components.*.on': {
    label: 'Runs on',
    choices: {
      'control-plane': 'control plane',
      worker: 'workers',
      node: 'every node',
      boot: 'before the cluster: an operating system',
      cluster: 'anywhere in the cluster',
    },
  },
  'components.*.version': { label: 'Version' },
  'components.*.arch': { label: 'Architectures', choices: archChoices },
  'components.*.systems': { label: 'Operating systems', help: 'Empty: all that its release has.', mono: true },
};

export const releaseFields: Fields = {
  name: { label: 'Name', example: '1.34.2', mono: true },
  version: { label: 'Version', example: '1.34.2', mono: true },
  arch: { label: 'Architectures', choices: archChoices },
  source: { label: 'Source', refers: { kind: 'Registry', roles: ['source'], anywhere: true } },
  ...componentFields,
  skew: { label: 'Version skew', help: 'How far components may be apart, in minor versions.', rare: true },
  'skew.*.component': { label: 'Component' },
  'skew.*.against': { label: 'Against' },
  'skew.*.behind': { label: 'Behind' },
  'skew.*.ahead': { label: 'Ahead' },
  upgradesFrom: { label: 'Upgrades from', help: 'A range of versions.', example: '>=1.33.0 <1.34.0', rare: true },
  removed: { label: 'No longer served', help: 'Versions of the API, or kinds of them, that it refuses.', rare: true },
  'removed.*.api': { label: 'API', example: 'policy/v1beta1', mono: true },
  'removed.*.kind': { label: 'Kind', help: 'Empty: all of them.', mono: true },
  'removed.*.instead': { label: 'In its place', example: 'policy/v1' },
  system: {
    label: 'System',
    help: 'What the system of the machines must contain, beside what every boot kit needs.',
    rare: true,
  },
  'system.*.name': { label: 'Package' },
  'system.*.atLeast': { label: 'At least' },
  'system.*.from': { label: 'From' },
};

export const addonFields: Fields = {
  name: { label: 'Name', example: 'log-shipper', mono: true },
  title: { label: 'Title' },
  version: { label: 'Version' },
  source: { label: 'Source', refers: { kind: 'Registry', roles: ['source'], anywhere: true } },
  arch: { label: 'Architectures', choices: archChoices },
  provides: {
    label: 'Brings',
    help: 'In place of what the release has.',
    choices: { 'pod-network': 'the pod network' },
    rare: true,
  },
  manifests: {
    label: 'Manifests',
    help: 'Objects that the cluster is given as they stand; components follow from their images.',
    mono: true,
    lines: true,
    file: '.yaml,.yml',
    rare: true,
  },
  ...componentFields,
  questions: { label: 'Questions', help: 'Asked of each cluster that has it.', rare: true },
  ...askFields('questions.*'),
  runsWith: { label: 'Runs with', help: 'Releases, as a range of versions.', example: '>=1.33.0 <1.36.0', rare: true },
};
