import type { Fields } from './field.ts';

/** Rules of a router, as a network and a gateway have them. */
export const ruleFields: Fields = {
  rules: { label: 'Rules', help: 'The first that a packet matches counts; what matches none passes.', rare: true },
  'rules.*.do': { label: 'Rule', choices: { allow: 'allow', deny: 'deny' } },
  'rules.*.from': { label: 'From', example: '10.62.40.0/24', mono: true },
  'rules.*.to': { label: 'To', example: '10.62.8.0/25', mono: true },
  'rules.*.protocol': { label: 'Protocol', choices: { tcp: 'TCP', udp: 'UDP', icmp: 'ICMP' } },
  'rules.*.port': { label: 'Port', example: '443' },
  'rules.*.lastPort': { label: 'To port', help: 'Of a run of ports, the last.' },
};
