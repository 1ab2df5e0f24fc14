import { formatIp, isIp, parseIp, parsePrefix, parseRange } from '../address/parse.ts';
import { resolversOf } from '../naming/servers.ts';
import type { Network, Reservation, Site } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

/** What a DHCP server is told of one network: its scopes, its options, and who has which address. */
export interface DhcpNetwork {
  network: Network;
  site: Site;
  reservations: { mac: string; address: string; host?: string }[];
}

/** The networks of a site with what is bound to a MAC in them. Resting addresses and doubled MACs are left out. */
export function dhcpNetworks(site: Site, networks: readonly Network[], ledger: readonly Reservation[]): DhcpNetwork[] {
  return networks
    .filter((n) => n.site === site.name)
    .map((network) => {
      const seen = new Set<string>();
      const reservations = ledger
        .filter((r) => r.network === network.name && r.mac && !r.resting && r.address !== network.gateway)
        .sort((a, b) => Number(parseIp(a.address).n - parseIp(b.address).n))
        .filter((r) => !seen.has(r.mac as string) && seen.add(r.mac as string))
        .map((r) => ({
          mac: r.mac as string,
          address: r.address,
          ...(r.name && !r.name.startsWith('*') ? { host: r.name } : {}),
        }));
      return { network, site, reservations };
    })
    .filter((d) => d.network.dhcp.length > 0 || d.reservations.length > 0);
}

const version = (text: string) => parsePrefix(text).v;
const span = (text: string) => {
  const r = parseRange(text);
  return [formatIp({ v: r.v, n: r.first }), formatIp({ v: r.v, n: r.last })] as const;
};

/** What hosts that start by PXE are told: where the first program is (TFTP), and where that finds its script (HTTP). */
export interface PxeStart {
  server: string;
  program: string;
  script: string;
}
/**
 * For the hosts of a site that start by PXE; undefined: none does, or the address of the server is not known as one of IPv4.
 * @param url where machines reach the server
 */
export function pxeOf(estate: Estate, site: string, url: string): PxeStart | undefined {
  if (!estate.hosts.some((h) => h.site === site && h.bmc?.boot === 'pxe')) return undefined;
  const { hostname } = new URL(url);
  const server = isIp(hostname) ? hostname : estate.reservations.find((r) => r.name === hostname)?.address;
  if (!server || parseIp(server).v !== 4) return undefined;
  // Said by the firmware's own adapter: iPXE puts its address in.
  return { server, program: 'ipxe.efi', script: `${url}/boot/pxe/\${net0/mac}` };
}
/** Firmware for x86-64 (RFC 4578 §2.1; 7, and 9 as some say it). */
const architectures = [7, 9];

/** Configuration of a Kea DHCPv4 server, as JSON. Networks of IPv6 are not in it. */
export function keaJson(list: readonly DhcpNetwork[], pxe?: PxeStart): string {
  const subnet4 = list
    .filter((d) => version(d.network.prefix) === 4)
    .map((d, i) => {
      const v4 = resolversOf(d.site, d.network).filter((a) => parseIp(a).v === 4);
      const options = [
        ...(d.network.gateway ? [{ name: 'routers', data: d.network.gateway }] : []),
        ...(v4.length ? [{ name: 'domain-name-servers', data: v4.join(', ') }] : []),
        { name: 'domain-name', data: d.site.domain },
        ...(d.network.mtu === 1500 ? [] : [{ name: 'interface-mtu', data: String(d.network.mtu) }]),
      ];
      return {
        id: i + 1,
        subnet: d.network.prefix,
        'user-context': { network: d.network.name },
        pools: d.network.dhcp.map((s) => ({ pool: span(s.range).join(' - ') })),
        'option-data': options,
        reservations: d.reservations.map((r) => ({
          'hw-address': r.mac,
          'ip-address': r.address,
          ...(r.host ? { hostname: r.host } : {}),
        })),
      };
    });
  const Dhcp4 = {
    // Requests are told apart by the network that they come from, or that their relay names.
    'interfaces-config': { interfaces: ['*'] },
    // Kept over a restart: who has an address has it still.
    'lease-database': { type: 'memfile', persist: true },
    'valid-lifetime': 43_200,
    ...(pxe
      ? {
          'client-classes': [
            { name: 'praesidor-ipxe', test: "option[77].hex == 'iPXE'", 'boot-file-name': pxe.script },
            {
              name: 'praesidor-pxe',
              test: `substring(option[60].hex, 0, 9) == 'PXEClient' and not member('praesidor-ipxe') and (${architectures.map((a) => `option[93].hex == 0x000${a}`).join(' or ')})`,
              'next-server': pxe.server,
              'boot-file-name': pxe.program,
            },
          ],
        }
      : {}),
    subnet4,
  };
  return `${JSON.stringify({ Dhcp4 }, null, 2)}\n`;
}

/** Lines of a dnsmasq configuration. Scopes that only hold reservations are marked static. */
export function dnsmasqConf(list: readonly DhcpNetwork[], pxe?: PxeStart): string {
  const lines: string[] = pxe
    ? [
        '# Hosts that start by PXE',
        'dhcp-userclass=set:ipxe,iPXE',
        ...architectures.map((a) => `dhcp-match=set:pxe,option:client-arch,${a}`),
        `dhcp-boot=tag:ipxe,${pxe.script}`,
        `dhcp-boot=tag:pxe,tag:!ipxe,${pxe.program},,${pxe.server}`,
      ]
    : [];
  for (const d of list.filter((x) => version(x.network.prefix) === 4)) {
    const tag = d.network.name;
    const mask = formatIp({ v: 4, n: 0xffffffffn ^ ((1n << BigInt(32 - parsePrefix(d.network.prefix).length)) - 1n) });
    lines.push(`# ${d.network.name}, ${d.network.prefix}`);
    if (d.network.dhcp.length === 0) lines.push(`dhcp-range=set:${tag},${d.network.prefix.split('/')[0]},static,${mask},12h`);
    for (const s of d.network.dhcp) lines.push(`dhcp-range=set:${tag},${span(s.range).join(',')},${mask},12h`);
    if (d.network.gateway) lines.push(`dhcp-option=tag:${tag},option:router,${d.network.gateway}`);
    const v4 = resolversOf(d.site, d.network).filter((a) => parseIp(a).v === 4);
    if (v4.length) lines.push(`dhcp-option=tag:${tag},option:dns-server,${v4.join(',')}`);
    for (const r of d.reservations) lines.push(`dhcp-host=${r.mac},${r.address}${r.host ? `,${r.host.split('.')[0]}` : ''}`);
  }
  return `${lines.join('\n')}\n`;
}
