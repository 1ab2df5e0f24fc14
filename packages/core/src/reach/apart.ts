import { formatIp, parseRange } from '../address/parse.ts';
import type { Charter } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import type { Reach } from './graph.ts';
import { editsOf, type Lacking } from './mend.ts';
import { someoneIn } from './someone.ts';
import { type End, type Leg, trace } from './trace.ts';

/** A way from one cluster into another that is to be kept apart from it. */
export interface Seen {
  from: string;
  to: string;
  /** What of the other is reached. */
  what: 'nodes' | 'services';
  /** Over which routers; none: both lie in one network. */
  over: string[];
  leg: Leg;
  /** A rule that would stop it, at the first gateway on the way; none: nothing stands between that could. */
  edits: Edit[];
}

const prefixOf = (reach: Reach, e: End): string => {
  const n = reach.networks.get(e.network);
  return n?.prefix ?? `${e.address}/${e.address.includes(':') ? 128 : 32}`;
};

/** Ways between two clusters, in both directions, to nodes and to what is published: none where they are kept apart. */
export function waysBetween(reach: Reach, a: Charter, b: Charter): Seen[] {
  return [
    [a, b],
    [b, a],
  ].flatMap(([from, to]) => (from && to ? [seen(reach, from, to, 'nodes'), seen(reach, from, to, 'services')].flat() : []));
}

function seen(reach: Reach, from: Charter, to: Charter, what: Seen['what']): Seen[] {
  const [own, other] = [reach.networks.get(from.machineNetwork), reach.networks.get(to.machineNetwork)];
  if (!own || !other || (what === 'services' && !to.servicePool)) return [];
  const end = what === 'nodes' ? someoneIn(reach, other) : published(to, other.name, other.mtu);
  const { forward } = trace(reach, someoneIn(reach, own), end, 1);
  if (forward.stop) return [];
  const over = forward.hops.slice(1).flatMap((h) => (reach.routers.some((r) => r.name === h.at) ? [h.at] : []));
  const first = reach.routers.find((r) => r.gateway && over.includes(r.name));
  const deny: Lacking[] = first
    ? [
        {
          kind: first.ruled.kind,
          key: first.ruled.name,
          path: first.ruled.path,
          list: first.rules,
          element: {
            do: 'deny',
            from: own.prefix,
            to: what === 'nodes' ? prefixOf(reach, end) : `${end.address}/${end.address.includes(':') ? 128 : 32}`,
          },
          before: 0,
          text: '',
        },
      ]
    : [];
  return [{ from: from.name, to: to.name, what, over, leg: forward, edits: editsOf(deny) }];
}

/** The first address of the pool of a cluster, as somebody asks for it. */
export function published(c: Charter, network: string, mtu: number): End {
  const { v, first } = parseRange(c.servicePool?.range ?? '0.0.0.0');
  return {
    label: `what ${c.name} publishes`,
    address: formatIp({ v, n: first }),
    network,
    any: true,
    cluster: {
      charter: c.name,
      is: 'service',
      overlay: 'none',
      mtu,
      announce: c.servicePool?.announce ?? 'arp',
      nodes: 1,
      network,
      node: '',
    },
  };
}
