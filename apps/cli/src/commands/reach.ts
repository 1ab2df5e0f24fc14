import { formatPrefix, isIp, parseIp } from '@praesidor/core/address';
import {
  announcements,
  carvePrecinct,
  clusterReach,
  type End,
  endOf,
  type From,
  graphOf,
  type Leg,
  type Precinct,
  precinctOf,
  precinctParents,
  type Router,
  type Trace,
  trace,
  type Way,
  whatIs,
} from '@praesidor/core/reach';
import { resolve } from '@praesidor/core/charter';
import { gatewayFiles, outsideForms, outsideText } from '@praesidor/core/files';
import { keyOf, nearest } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { estateOf, estateOption, nowOption, Unusable } from '../estate.ts';
import { type Asked, type CommandGroup, tell } from '../options.ts';

function bytesOf({ options }: Asked): number {
  if (options.bytes === undefined) return 1500;
  const n = Number(options.bytes);
  if (!Number.isInteger(n) || n < 1 || n > 65_535)
    throw new Unusable(`--bytes: ${String(options.bytes)} is not a whole number from 1 to 65535`);
  return n;
}

function protocolOf({ options }: Asked): { protocol?: (typeof protocols)[number]; port?: number } {
  const protocol = options.protocol === undefined ? undefined : protocols.find((p) => p === options.protocol);
  if (options.protocol !== undefined && !protocol)
    throw new Unusable(`--protocol: ${String(options.protocol)} is none of ${protocols.join(', ')}`);
  const port = options.port === undefined ? undefined : Number(options.port);
  if (port !== undefined && !(Number.isInteger(port) && port > 0 && port < 65_536))
    throw new Unusable(`--port: ${String(options.port)} is not a whole number from 1 to 65535`);
  return { ...(protocol ? { protocol } : {}), ...(port ? { port } : {}) };
}

/** One direction as lines: each hop, where it ends, and what would mend it. */
function legLines(title: string, leg: Leg, bytes: number): string[] {
  const passes = leg.mtu === undefined || leg.mtu >= bytes ? '' : `: ${bytes} bytes do not pass, ${leg.mtu} do`;
  const narrowest = leg.gbit === undefined ? '' : `, ${leg.gbit} Gbit/s at the narrowest`;
  const how = leg.stop
    ? `${leg.stop.sort === 'dead' ? 'stops' : 'is not known'} at ${leg.stop.at}: ${leg.stop.why}`
    : `${counted(leg.hops.length, 'hop')}${narrowest}${passes}`;
  return [
    `${title}  ${how}`,
    ...leg.hops.map((h) => {
      const vlan = h.vlan === undefined ? 'untagged' : `VLAN ${h.vlan}`;
      const by = h.chosen ? `  by ${h.chosen.prefix}${h.chosen.from ? ` (${fieldText(h.chosen.from)})` : ''}` : '';
      const inside = h.inside
        ? `, in ${h.inside.kind} with ${h.inside.mtu} bytes inside${h.inside.room < h.inside.mtu ? `, of which ${h.inside.room} fit` : ''}`
        : '';
      const nat = h.nat ? `, ${h.nat.of} ${h.nat.before} → ${h.nat.after}` : '';
      const note = h.note ? ` (${h.note})` : '';
      return `  ${h.at} → ${h.next ?? 'the receiver'}  in ${h.network}, ${vlan}, MTU ${h.mtu}${inside}${nat}${by}${note}`;
    }),
    ...(leg.nobody ? ['  nobody is declared to have that address'] : []),
    ...(leg.stop?.lacking ?? []).map((l) => `  would mend it: ${l}`),
  ];
}
/** What becomes of it while another member of a gateway leads, and what ways differ. */
const besides = (t: Trace): string[] => [
  ...t.whileLeading.map(
    (w) =>
      `While ${w.member} leads: ${w.works ? 'works' : w.stop ? `${w.stop.leg === 'back' ? 'the answer ' : ''}stops at ${w.stop.at}: ${w.stop.why}` : 'does not carry packets of that size'}`,
  ),
  ...t.whileLeading.flatMap((w) => (w.stop?.lacking ?? []).map((l) => `  would mend it: ${l}`)),
  ...(t.asymmetric ? ['The answer takes other routers than the question.'] : []),
];

const precinctLines = (p: Precinct): string[] => [
  `network   ${p.network}, ${p.prefix}${p.vlan ? `, VLAN ${p.vlan}` : ''}, carved out of ${p.parent}`,
  `gateway   ${p.gateway ? `${p.gateway.address} at ${p.gateway.name}` : 'none'}`,
  `outbound  ${p.outbound.map((o) => `${o.address} in ${o.network}`).join(', ') || 'with the addresses of the nodes'}`,
  `inbound   ${p.inbound ?? 'none'}`,
  `pods      ${p.pods.range}, a /${p.pods.perNode} for each node`,
];

/** What somebody has named, or which name is like it. */
function named<T extends { name: string }>(list: readonly T[], what: string, name: string): T {
  const found = list.find((x) => x.name === name);
  if (found) return found;
  const near = nearest(
    name,
    list.map((x) => x.name),
  );
  throw new Unusable(`there is no ${what} ${name}${near ? `; did you mean ${near}?` : ''}`);
}

/** Routers by the name of a network, of a gateway or of one of its members. */
function routersOf(asked: Asked): readonly Router[] {
  const reach = graphOf(estateOf(asked));
  const name = asked.words[0] as string;
  const found = reach.routers.filter((r) => r.name === name || r.gateway?.name === name);
  if (found.length) return found;
  const network = reach.networks.get(name);
  if (!network) {
    const near = nearest(name, [...reach.networks.keys(), ...reach.gateways.keys(), ...reach.routers.map((r) => r.name)]);
    throw new Unusable(`there is no network, gateway or member ${name}${near ? `; did you mean ${near}?` : ''}`);
  }
  const routers = reach.of(name);
  if (!routers.length) throw new Unusable(`${name} has no gateway: nothing leaves ${network.prefix}`);
  return routers;
}
const wayText = (w: Way) => ('into' in w ? `into ${w.into}` : 'via' in w ? `over ${w.via}` : `to the nodes of ${w.nodesOf}`);
const fieldText = (f: From) => `${f.name} ${f.path.join('.')}`;
const common = [estateOption, nowOption];
const protocols = ['tcp', 'udp', 'icmp'] as const;

/** Who reaches whom, as the estate declares it. */
export const reach: CommandGroup = {
  name: 'reach',
  about: 'who reaches whom: paths there and back, and the routes that choose them',
  commands: [
    {
      name: 'trace',
      about:
        'every hop from one end to another and back. An end is an address, NETWORK/ADDRESS, a network, a host, a cluster, CLUSTER/inbound, CLUSTER/pod, CLUSTER/SERVICE, and as the second one: outside; exit code 1: no packet of that size goes there and back',
      words: '<from> <to>',
      options: [
        ['--bytes <n>', 'size of the packet; 1500 otherwise'],
        ['--protocol <name>', 'tcp, udp or icmp, for the rules that are about one'],
        ['--port <n>', 'the port that is asked'],
        ...common,
      ],
      run: (asked, write) => {
        const e = estateOf(asked);
        const graph = graphOf(e);
        const end = (text: string, side: 'from' | 'to'): End => {
          try {
            return endOf(e, graph, text, side);
          } catch (x) {
            throw new Unusable((x as Error).message);
          }
        };
        const t = trace(graph, end(asked.words[0] as string, 'from'), end(asked.words[1] as string, 'to'), {
          bytes: bytesOf(asked),
          ...protocolOf(asked),
        });
        tell(asked, write, t, [
          `${t.from.label} (${t.from.address} in ${t.from.network}) to ${t.to.label} (${t.to.address}${t.to.network ? ` in ${t.to.network}` : ''}), ${t.bytes} bytes`,
          ...legLines('Forward', t.forward, t.bytes),
          ...legLines('Return ', t.back, t.bytes),
          ...besides(t),
        ]);
        return t.works ? 0 : 1;
      },
    },
    {
      name: 'routes',
      about: 'what a router knows, the longest prefix first: of a network, of a gateway, or of one of its members',
      words: '<network>',
      options: common,
      run: (asked, write) => {
        const routers = routersOf(asked).map((r) => ({
          name: r.name,
          routes: r.table
            .entries()
            .sort((a, b) => b.prefix.length - a.prefix.length)
            .map(({ prefix, value }) => ({ prefix: formatPrefix(prefix), ...value })),
        }));
        tell(
          asked,
          write,
          routers,
          routers.flatMap((r) => [r.name, ...r.routes.map((w) => `  ${w.prefix}  ${wayText(w)}  (${fieldText(w.from)})`)]),
        );
        return 0;
      },
    },
    {
      name: 'explain',
      about: 'which route of a router is chosen for an address, and which others it lies in',
      words: '<network> <address>',
      options: common,
      run: (asked, write) => {
        const address = asked.words[1] as string;
        if (!isIp(address)) throw new Unusable(`${address} is no address`);
        const routers = routersOf(asked).map((r) => ({
          name: r.name,
          routes: r.table.over(parseIp(address)).map(({ prefix, value }) => ({ prefix: formatPrefix(prefix), ...value })),
        }));
        tell(
          asked,
          write,
          routers,
          routers.flatMap((r) =>
            r.routes.length
              ? [
                  r.name,
                  ...r.routes.map((w, i) => `  ${i ? '        ' : 'chosen  '}${w.prefix}  ${wayText(w)}  (${fieldText(w.from)})`),
                ]
              : [`${r.name} has no route to ${address}`],
          ),
        );
        return routers.every((r) => r.routes.length) ? 0 : 1;
      },
    },
    {
      name: 'announce',
      about: 'how the services of a cluster are made known, by ARP and by BGP side by side: what each gives, takes and needs',
      words: '<cluster>',
      options: common,
      run: (asked, write) => {
        const e = estateOf(asked);
        const name = asked.words[0] as string;
        const charter = named(e.charters, 'cluster', name);
        const both = announcements(resolve(charter, e), e.gateways);
        tell(
          asked,
          write,
          both,
          both.flatMap((a) => [
            `${a.by === 'arp' ? 'ARP and NDP' : 'BGP'}${a.chosen ? ', as the charter has it' : ''}`,
            `  one service is carried by ${counted(a.carriers, 'node')}, ${a.ceiling === undefined ? 'links not known' : `${a.ceiling} Gbit/s at most`}`,
            `  out for ${a.outage} s when a node dies: ${a.parts.map((p) => `${p.what} ${p.seconds} s`).join('; ')}`,
            `  needs ${a.needs.join('; ')}`,
            ...(a.lacks.length ? [`  lacks ${a.lacks.join('; ')}`] : []),
          ]),
        );
        return 0;
      },
    },
    {
      name: 'what',
      about: 'what an address is by the plan: whose, of which block, on which node, since when',
      words: '<address>',
      options: common,
      run: (asked, write) => {
        const address = asked.words[0] as string;
        if (!isIp(address)) throw new Unusable(`${address} is no address`);
        const found = whatIs(estateOf(asked), address);
        tell(
          asked,
          write,
          found,
          found.length
            ? found.map((w) =>
                [
                  w.what,
                  w.node && `on ${w.node}`,
                  w.network && `in ${w.network}`,
                  w.block && `of ${w.block}`,
                  w.since && `since ${w.since}`,
                ]
                  .filter(Boolean)
                  .join('  '),
              )
            : [`nothing is declared about ${address}`],
        );
        return found.length ? 0 : 1;
      },
    },
    {
      name: 'outside',
      about: `what machines of a network are told so that they reach the services of a cluster, as ${outsideForms.join(', ')} take it`,
      words: '<cluster> <network>',
      options: [['--form <name>', `one of ${outsideForms.join(', ')}; ip otherwise`], ...common],
      run: (asked, write) => {
        const e = estateOf(asked);
        const [name = '', at = ''] = asked.words;
        const form = outsideForms.find((f) => f === (asked.options.form ?? 'ip'));
        if (!form) throw new Unusable(`--form: ${String(asked.options.form)} is none of ${outsideForms.join(', ')}`);
        const charter = named(e.charters, 'cluster', name);
        const network = named(e.networks, 'network', at);
        const route = clusterReach(resolve(charter, e), e).clients.find((c) => c.network === at)?.route;
        const text = route && outsideText(form, route, network);
        if (!text)
          throw new Unusable(
            charter.servicePool
              ? `machines in ${at} are told nothing of the pool of ${name} in that form`
              : `${name} publishes nothing`,
          );
        tell(asked, write, { form, text }, text.trimEnd().split('\n'));
        return 0;
      },
    },
    {
      name: 'precinct',
      about:
        'the network of its own that a cluster has; or, with --from, the one that would be carved for it and what that changes',
      words: '<cluster>',
      options: [['--from <network>', 'the network that it would be carved out of'], ...common],
      run: (asked, write) => {
        const e = estateOf(asked);
        const charter = named(e.charters, 'cluster', asked.words[0] as string);
        const { from } = asked.options;
        if (from === undefined) {
          const has = precinctOf(e, charter);
          const parents = precinctParents(e, charter.site).map((n) => n.name);
          tell(
            asked,
            write,
            has ?? null,
            has
              ? precinctLines(has)
              : [
                  `${charter.name} has no precinct: its machines stand in ${charter.machineNetwork}`,
                  ...(parents.length ? [`one can be carved for it: --from ${parents.join(', or --from ')}`] : []),
                ],
          );
          return has ? 0 : 1;
        }
        const carved = carvePrecinct(e, charter, named(e.networks, 'network', String(from)).name);
        if ('refused' in carved) throw new Unusable(`${carved.refused} ${carved.remedy}`);
        tell(asked, write, carved, [
          ...precinctLines(carved.precinct),
          'changes',
          ...carved.edits.map((x) =>
            x.op === 'put'
              ? `  ${x.doc.kind} ${keyOf(x.doc)}`
              : `  ${x.kind} ${x.key}${x.op === 'set' ? ` ${x.path.join('.')}` : ''}`,
          ),
        ]);
        return 0;
      },
    },
    {
      name: 'files',
      about: 'what the members of a gateway are set up with: for BIRD, keepalived, nftables and the kernel',
      words: '<gateway>',
      options: common,
      run: (asked, write) => {
        const e = estateOf(asked);
        const gateway = named(e.gateways, 'gateway', asked.words[0] as string);
        const files = gatewayFiles(e, gateway);
        tell(
          asked,
          write,
          files,
          files.flatMap((f) => [`==> ${f.member}:${f.path}`, ...f.text.trimEnd().split('\n'), '']),
        );
        return 0;
      },
    },
  ],
};
