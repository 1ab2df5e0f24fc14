import type { Fields } from './field.ts';
import { ruleFields } from './rule.ts';
import { purposeChoices } from './shared.ts';

export const networkFields: Fields = {
  purpose: { label: 'Purpose', choices: purposeChoices },
  prefix: { label: 'Prefix', help: 'Address and prefix length.', example: '10.62.8.0/25', mono: true },
  vlan: { label: 'VLAN' },
  name: { label: 'Name', example: 'lr-machine', mono: true },
  site: { label: 'Site', refers: { kind: 'Site' } },
  gateway: { label: 'Gateway', help: 'Empty: nothing is routed out of it.', example: '10.62.8.1', mono: true },
  mtu: { label: 'MTU', unit: 'bytes' },
  dhcp: { label: 'DHCP scopes', help: 'Ranges that a DHCP server gives away; nothing else is reserved in them.', rare: true },
  'dhcp.*.name': { label: 'Scope' },
  'dhcp.*.range': { label: 'Range', example: '10.62.8.100-10.62.8.119', mono: true },
  'dhcp.*.routes': { label: 'Routes', help: 'Given to clients beside the address (option 121).', rare: true },
  'dhcp.*.routes.*.to': { label: 'To', example: '10.62.8.0/25', mono: true },
  'dhcp.*.routes.*.via': { label: 'Next hop', example: '10.62.40.1', mono: true },
  'dhcp.*.inside': { label: 'Inside pool', refers: { of: 'pool' } },
  pools: { label: 'Pools', help: 'Ranges that are set aside for one use.', rare: true },
  'pools.*.name': { label: 'Pool' },
  'pools.*.range': { label: 'Range', example: '10.62.8.20-10.62.8.31', mono: true },
  'pools.*.use': {
    label: 'Use',
    choices: {
      host: 'hosts',
      virtual: 'virtual addresses',
      service: 'published services',
      inbound: 'inbound routers',
      outbound: 'outbound NAT',
    },
  },
  'pools.*.inside': { label: 'Inside pool', refers: { of: 'pool' } },
  parent: { label: 'Carved out of', help: 'The network whose prefix it lies in.', refers: { kind: 'Network' }, rare: true },
  resolvers: { label: 'Resolvers', help: 'Where they are others than the site’s.', rare: true, mono: true },
  ntp: { label: 'Time servers', help: 'Where they are others than the site’s.', rare: true, mono: true },
  routes: { label: 'Static routes', help: 'Of the network’s router.', rare: true },
  'routes.*.to': { label: 'To', example: '10.70.0.0/16', mono: true },
  'routes.*.via': { label: 'Next hop', example: '10.62.8.2', mono: true },
  ...ruleFields,
  endpoints: {
    label: 'Tunnel ends',
    help: 'Tunnel networks: who ends tunnels here.',
    rare: true,
    choices: { host: 'hosts', gateway: 'gateways' },
  },
  routesTo: {
    label: 'Routed to',
    help: 'Networks that traffic from here can reach.',
    refers: { kind: 'Network', anywhere: true },
    rare: true,
    mono: true,
  },
};
