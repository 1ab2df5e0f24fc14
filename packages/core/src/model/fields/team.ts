import type { Fields } from './field.ts';

export const teamFields: Fields = {
  name: { label: 'Name', example: 'vessel-traffic', mono: true },
  title: { label: 'Title', example: 'Vessel traffic' },
  sites: { label: 'Sites', help: 'Where its clusters may stand; empty: everywhere.', refers: { kind: 'Site', anywhere: true } },
  fourEyes: {
    label: 'Second person approves',
    help: 'Each change of its clusters waits until somebody else has approved it.',
  },
  allowance: { label: 'Allowance', help: 'The most that its clusters may take together; empty: no limit.' },
  'allowance.hosts': { label: 'Hosts' },
  'allowance.cores': { label: 'Cores', help: 'Of its hosts.' },
  'allowance.memoryGiB': { label: 'Memory', unit: 'GiB', help: 'Of its hosts.' },
  'allowance.storageGB': { label: 'Disks', unit: 'GB', help: 'Of its hosts.' },
  'allowance.addresses': { label: 'Addresses' },
  'allowance.clusters': { label: 'Clusters' },
  moulds: { label: 'Moulds', help: 'That its charters may name; empty: all.', refers: { kind: 'Mould', anywhere: true } },
  templates: {
    label: 'Templates',
    help: 'That its charters may name; empty: all.',
    refers: { kind: 'Template', anywhere: true },
  },
};
