import { formatPrefix, parsePrefix, parseRange } from '../address/parse.ts';
import type { Gateway, Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { TrafficRule } from '../model/gateway.ts';
import { coverOf } from '../reach/graph.ts';

/** A file of a member of a gateway, by where it lies there. */
export interface GatewayFile {
  member: string;
  path: string;
  text: string;
}
type Member = Gateway['members'][number];
interface At {
  gateway: Gateway;
  member: Member;
  networks: ReadonlyMap<string, Network>;
  estate: Estate;
}

/** The interface that has an address in a network: as it was named, else as the network is called (IFNAMSIZ: fifteen letters). */
export const interfaceIn = (m: Member, network: string): string =>
  m.interfaces.find((f) => f.network === network)?.name ?? network.slice(0, 15);
const six = (text: string) => text.includes(':');
const lengthIn = (at: At, network: string): number => parsePrefix(at.networks.get(network)?.prefix ?? '0.0.0.0/32').length;
const written = (of: string) => [`# ${of}. Written by Praesidor; changes made here are lost.`];

/**
 * Everything that a member of a gateway is set up with: routes and neighbours for BIRD 2, the addresses that move for keepalived, rules and translation for nftables,
 * and what the kernel must do. A file that would say nothing is left out.
 */
export function gatewayFiles(estate: Estate, gateway: Gateway): GatewayFile[] {
  const networks = new Map(estate.networks.map((n) => [n.name, n]));
  return gateway.members.flatMap((member) => {
    const at = { gateway, member, networks, estate };
    return writers.flatMap(({ path, write }) => {
      const lines = write(at);
      return lines.length
        ? [{ member: member.name, path, text: [...written(`${member.name} of ${gateway.name}`), ...lines, ''].join('\n') }]
        : [];
    });
  });
}

/** A file of a member: where it lies, and what it says. A new one is a line. */
const writers: { path: string; write: (at: At) => string[] }[] = [
  { path: '/etc/bird/bird.conf', write: routing },
  { path: '/etc/keepalived/keepalived.conf', write: moving },
  { path: '/etc/nftables.conf', write: filtering },
  {
    path: '/etc/sysctl.d/90-forward.conf',
    // Packets of one connection take one of several equal ways (layer 4).
    write: () => [
      'net.ipv4.ip_forward = 1',
      'net.ipv6.conf.all.forwarding = 1',
      'net.ipv4.fib_multipath_hash_policy = 1',
      'net.ipv6.fib_multipath_hash_policy = 1',
    ],
  },
];

/** Neighbours of a member: those that are declared, and the nodes of clusters that name it, wherever in their network they are. */
function neighbours({ estate, gateway, member, networks }: At) {
  if (!gateway.bgp) return [];
  const declared = gateway.bgp.peers.map((p, i) => ({
    name: `peer_${i + 1}`,
    who: `neighbor ${p.address} as ${p.as}`,
    v6: six(p.address),
    local: undefined as string | undefined,
    takes: undefined as string[] | undefined,
  }));
  const own = new Set(member.interfaces.map((f) => f.address));
  const nodes = estate.charters.flatMap((c) => {
    const pool = c.servicePool;
    const peer = pool?.announce === 'bgp' ? pool.peers?.find((p) => own.has(p.address)) : undefined;
    const network = networks.get(c.machineNetwork);
    if (!pool || !peer || !network || pool.as === undefined) return [];
    const { v } = parseRange(pool.range);
    const all = v === 4 ? 32 : 128;
    return [
      {
        name: `nodes_of_${c.name.replace(/[^a-z0-9]/g, '_')}`,
        who: `neighbor range ${network.prefix} as ${pool.as}`,
        v6: v === 6,
        local: peer.address as string | undefined,
        // Single addresses of its pool, and nothing else: a node cannot take what is not its own.
        takes: coverOf(parseRange(pool.range)).map((p) => `${formatPrefix(p)}{${all},${all}}`) as string[] | undefined,
      },
    ];
  });
  return [...declared, ...nodes];
}

function routing(at: At): string[] {
  const { gateway, member } = at;
  const statics = [...gateway.routes, ...member.routes.filter((r) => !gateway.routes.some((g) => g.to === r.to))];
  const bgp = gateway.bgp;
  const as = member.as ?? bgp?.as;
  const id = member.interfaces.find((f) => !six(f.address))?.address;
  const bfd = bgp?.bfd;
  const known = neighbours(at);
  return [
    ...(id ? [`router id ${id};`] : []),
    'log syslog all;',
    'protocol device { }',
    'protocol direct { ipv4; ipv6; }',
    ...[4, 6].flatMap((v) => [
      `protocol kernel kernel${v} {`,
      ...(bgp && bgp.ways > 1 ? [`  merge paths on limit ${bgp.ways};`] : []),
      // What it has learnt goes to the kernel; what lies on its own links is there already.
      `  ipv${v} { import none; export where source ~ [ RTS_STATIC, RTS_BGP ]; };`,
      '}',
    ]),
    ...[false, true].flatMap((v6) => {
      const list = statics.filter((r) => six(r.to) === v6);
      return list.length
        ? [
            `protocol static static${v6 ? 6 : 4} {`,
            `  ipv${v6 ? 6 : 4};`,
            ...list.map((r) => `  route ${r.to} via ${r.via};`),
            '}',
          ]
        : [];
    }),
    ...(bfd
      ? [
          'protocol bfd {',
          `  interface "*" { min rx interval ${bfd.interval} ms; min tx interval ${bfd.interval} ms; multiplier ${bfd.missed}; };`,
          '}',
        ]
      : []),
    ...(bgp && as !== undefined
      ? known.flatMap((n) => [
          `protocol bgp ${n.name} {`,
          `  local${n.local ? ` ${n.local}` : ''} as ${as};`,
          `  ${n.who};`,
          ...(n.takes ? [`  dynamic name "${n.name}_";`] : []),
          `  hold time ${bgp.hold};`,
          // Whoever comes back is met again within seconds; left alone it would be two minutes, and up to five after an error.
          '  connect retry time 5;',
          '  error wait time 5, 20;',
          ...(bfd ? ['  bfd on;'] : []),
          `  ipv${n.v6 ? 6 : 4} {`,
          `    import ${n.takes ? `where net ~ [ ${n.takes.join(', ')} ]` : 'all'};`,
          `    export ${n.takes ? 'none' : 'where source ~ [ RTS_STATIC, RTS_BGP, RTS_DEVICE ]'};`,
          '  };',
          '}',
        ])
      : []),
  ];
}

function moving(at: At): string[] {
  const { gateway, member } = at;
  const here = gateway.addresses.filter((a) => member.interfaces.some((f) => f.network === a.network));
  if (!here.length) return [];
  const instances = here.map((a) => ({ a, name: `${a.network}_${a.id}` }));
  return [
    'global_defs {',
    `  router_id ${member.name}`,
    // Version 3 (RFC 5798): parts of a second, and both versions of IP.
    '  vrrp_version 3',
    '}',
    ...(gateway.sharing === 'one-leads' && instances.length > 1
      ? [`vrrp_sync_group ${gateway.name} {`, '  group {', ...instances.map((i) => `    ${i.name}`), '  }', '}']
      : []),
    ...instances.flatMap(({ a, name }) => [
      `vrrp_instance ${name} {`,
      '  state BACKUP',
      `  interface ${interfaceIn(member, a.network)}`,
      `  virtual_router_id ${a.id}`,
      `  priority ${a.leads === member.name ? 254 : Math.min(253, member.priority)}`,
      `  advert_int ${gateway.advertise}`,
      '  virtual_ipaddress {',
      `    ${a.address}/${lengthIn(at, a.network)}`,
      '  }',
      '}',
    ]),
  ];
}

/** A rule as nftables has it. */
function ruleLine(r: TrafficRule): string {
  const v = six(r.from ?? r.to ?? '') ? 'ip6' : 'ip';
  const port = r.port === undefined ? '' : `${r.lastPort && r.lastPort !== r.port ? `${r.port}-${r.lastPort}` : r.port}`;
  return [
    ...(r.from ? [`${v} saddr ${r.from}`] : []),
    ...(r.to ? [`${v} daddr ${r.to}`] : []),
    ...(r.protocol === 'icmp' ? ['meta l4proto { icmp, ipv6-icmp }'] : []),
    ...(r.protocol && r.protocol !== 'icmp' ? [port ? `${r.protocol} dport ${port}` : `meta l4proto ${r.protocol}`] : []),
    r.do === 'allow' ? 'accept' : 'drop',
  ].join(' ');
}

function filtering({ gateway, member }: At): string[] {
  if (!gateway.rules.length && !gateway.nat.length) return [];
  return [
    'flush ruleset',
    'table inet gateway {',
    ...(gateway.rules.length
      ? [
          '  chain passing {',
          '    type filter hook forward priority filter; policy accept;',
          '    ct state established,related accept',
          ...gateway.rules.map((r) => `    ${ruleLine(r)}`),
          '  }',
        ]
      : []),
    ...(gateway.nat.length
      ? [
          '  chain leaving {',
          '    type nat hook postrouting priority srcnat;',
          ...gateway.nat
            .filter((n) => !n.out || member.interfaces.some((f) => f.network === n.out))
            .map((n) => {
              const v = six(n.from) ? 'ip6' : 'ip';
              const out = n.out ? `oifname "${interfaceIn(member, n.out)}" ` : '';
              return `    ${out}${v} saddr ${n.from} snat ${v} to ${n.to}`;
            }),
          '  }',
        ]
      : []),
    '}',
  ];
}

/** Seconds after which another member has taken an address over: three advertisements missed, and the skew of its priority (RFC 5798 §6.1). */
export const takenOverAfter = (gateway: Gateway, member: Member): number =>
  3 * gateway.advertise + ((256 - member.priority) * gateway.advertise) / 256;
