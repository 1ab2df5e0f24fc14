import { formatPrefix, isIp, parseIp } from '@praesidor/core/address';
import { type End, endOf, type Leg, graphOf, type Router, routerName, trace, type Way } from '@praesidor/core/reach';
import { nearest } from '@praesidor/core/model';
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

/** One direction as lines: each hop, where it ends, and what would mend it. */
function legLines(title: string, leg: Leg, bytes: number): string[] {
  const passes = leg.mtu === undefined || leg.mtu >= bytes ? '' : `: ${bytes} bytes do not pass, ${leg.mtu} do`;
  const how = leg.stop
    ? `${leg.stop.sort === 'dead' ? 'stops' : 'is not known'} at ${leg.stop.at}: ${leg.stop.why}`
    : `${counted(leg.hops.length, 'hop')}${passes}`;
  return [
    `${title}  ${how}`,
    ...leg.hops.map((h) => {
      const vlan = h.vlan === undefined ? 'untagged' : `VLAN ${h.vlan}`;
      const by = h.chosen
        ? `  by ${h.chosen.prefix}${h.chosen.from ? ` (${h.chosen.from.network} ${h.chosen.from.path.join('.')})` : ''}`
        : '';
      return `  ${h.at} → ${h.next ?? 'the receiver'}  in ${h.network}, ${vlan}, MTU ${h.mtu}${by}`;
    }),
    ...(leg.nobody ? ['  nobody is declared to have that address'] : []),
    ...(leg.stop?.edits ?? []).map((e) =>
      e.op === 'set' ? `  would mend it: ${e.kind} ${e.key}, ${e.path.join('.')} = ${JSON.stringify(e.value)}` : '',
    ),
  ];
}

function routerOf(asked: Asked): Router {
  const reach = graphOf(estateOf(asked));
  const name = asked.words[0] as string;
  const network = reach.networks.get(name);
  if (!network) {
    const near = nearest(name, [...reach.networks.keys()]);
    throw new Unusable(`there is no network ${name}${near ? `; did you mean ${near}?` : ''}`);
  }
  const router = reach.routers.get(name);
  if (!router) throw new Unusable(`${name} has no gateway: nothing leaves ${network.prefix}`);
  return router;
}
const wayText = (w: Way) => ('into' in w ? `into ${w.into}` : `over ${w.via}`);
const fromText = (w: Way) => `${w.from.network} ${w.from.path.join('.')}`;
const common = [estateOption, nowOption];

/** Who reaches whom, as the estate declares it. */
export const reach: CommandGroup = {
  name: 'reach',
  about: 'who reaches whom: paths there and back, and the routes that choose them',
  commands: [
    {
      name: 'trace',
      about:
        'every hop from one end to another and back. An end is an address, NETWORK/ADDRESS, a network, a host, a cluster, CLUSTER/inbound; exit code 1: no packet of that size goes there and back',
      words: '<from> <to>',
      options: [['--bytes <n>', 'size of the packet; 1500 otherwise'], ...common],
      run: (asked, write) => {
        const e = estateOf(asked);
        const graph = graphOf(e);
        const end = (text: string): End => {
          try {
            return endOf(e, graph, text);
          } catch (x) {
            throw new Unusable((x as Error).message);
          }
        };
        const t = trace(graph, end(asked.words[0] as string), end(asked.words[1] as string), bytesOf(asked));
        tell(asked, write, t, [
          `${t.from.label} (${t.from.address} in ${t.from.network}) to ${t.to.label} (${t.to.address} in ${t.to.network}), ${t.bytes} bytes`,
          ...legLines('Forward', t.forward, t.bytes),
          ...legLines('Return ', t.back, t.bytes),
        ]);
        return t.works ? 0 : 1;
      },
    },
    {
      name: 'routes',
      about: 'what the router of a network knows, the longest prefix first',
      words: '<network>',
      options: common,
      run: (asked, write) => {
        const list = routerOf(asked)
          .table.entries()
          .sort((a, b) => b.prefix.length - a.prefix.length);
        tell(
          asked,
          write,
          list.map(({ prefix, value }) => ({ prefix: formatPrefix(prefix), ...value })),
          list.map(({ prefix, value }) => `${formatPrefix(prefix)}  ${wayText(value)}  (${fromText(value)})`),
        );
        return 0;
      },
    },
    {
      name: 'explain',
      about: 'which route of a network’s router is chosen for an address, and which others it lies in',
      words: '<network> <address>',
      options: common,
      run: (asked, write) => {
        const router = routerOf(asked);
        const address = asked.words[1] as string;
        if (!isIp(address)) throw new Unusable(`${address} is no address`);
        const list = router.table.over(parseIp(address));
        tell(
          asked,
          write,
          list.map(({ prefix, value }) => ({ prefix: formatPrefix(prefix), ...value })),
          list.length
            ? list.map(
                ({ prefix, value }, i) =>
                  `${i ? '        ' : 'chosen  '}${formatPrefix(prefix)}  ${wayText(value)}  (${fromText(value)})`,
              )
            : [`${routerName(router)} has no route to ${address}`],
        );
        return list.length ? 0 : 1;
      },
    },
  ],
};
