import { formatIp, formatPrefix, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import type { Network } from '../model/documents.ts';

/** Ways in which a route comes to machines outside: at each of them, by their DHCP server, or in their router. */
export const outsideForms = ['ip', 'kea', 'dnsmasq', 'bird'] as const;
export type OutsideForm = (typeof outsideForms)[number];
export interface OutsideRoute {
  /** Prefixes that are to be reached. */
  to: string[];
  via: string;
}

/**
 * A route outside in a common form, as a whole that the program takes:
 * - `ip`: commands for ip(8) in batch (`ip -batch`)
 * - `kea`: a subnet of Kea's DHCPv4 server with option 121 (RFC 3442), and the way to everything else, which clients ignore otherwise
 * - `dnsmasq`: the same option for its configuration
 * - `bird`: a static protocol of BIRD 2
 *
 * @returns undefined where the form has nothing for that version of IP (DHCPv6 gives no routes)
 */
export function outsideText(form: OutsideForm, route: OutsideRoute, network: Network): string | undefined {
  const v6 = route.via.includes(':');
  const any = v6 ? '::/0' : '0.0.0.0/0';
  // Clients that are given routes leave the gateway aside: it is given with them.
  const given = [
    ...route.to.map((to) => ({ to, via: route.via })),
    ...(network.gateway ? [{ to: any, via: network.gateway }] : []),
  ];
  switch (form) {
    case 'ip':
      return `${route.to.map((to) => `route add ${to} via ${route.via}`).join('\n')}\n`;
    case 'bird':
      return [
        'protocol static published {',
        `  ipv${v6 ? 6 : 4};`,
        ...route.to.map((to) => `  route ${to} via ${route.via};`),
        '}',
        '',
      ].join('\n');
    case 'dnsmasq':
      return v6 ? undefined : `dhcp-option=option:classless-static-route,${given.map((g) => `${g.to},${g.via}`).join(',')}\n`;
    case 'kea': {
      if (v6) return undefined;
      const subnet = parsePrefix(network.prefix);
      const octets = given.map((g) => optionOf(g.to, g.via)).join('');
      return `${JSON.stringify(
        {
          Dhcp4: {
            subnet4: [
              {
                id: Number(prefixRange(subnet).first & 0xffffffn) || 1,
                subnet: formatPrefix(subnet),
                'option-data': [{ code: 121, space: 'dhcp4', 'csv-format': false, data: octets }],
              },
            ],
            'option-def': [{ name: 'classless-static-route', code: 121, type: 'binary', space: 'dhcp4' }],
          },
        },
        null,
        2,
      )}\n`;
    }
  }
}

/** A route as option 121 has it (RFC 3442): the length, the octets that count, the next hop; in hex. */
function optionOf(to: string, via: string): string {
  const { n, length } = parsePrefix(to);
  const hex = (value: bigint, octets: number) => value.toString(16).padStart(octets * 2, '0');
  const counts = Math.ceil(length / 8);
  return `${hex(BigInt(length), 1)}${counts ? hex(n >> BigInt(32 - 8 * counts), counts) : ''}${hex(parseIp(formatIp(parseIp(via))).n, 4)}`.toUpperCase();
}
