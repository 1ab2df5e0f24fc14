import { covers } from '../../model/gateway.ts';
import { at, each, planFor } from '../check.ts';

/** Ports that a source can be given at one address: those above the well-known ones (RFC 6056 §3.2). */
const ports = 65_536 - 1024;
/** Connections of one node to one address outside that a cluster opens at its start and in a bad hour: a pull of images by every pod takes a few hundred. */
const least = 1024;

export const NET037 = each('Gateway', {
  code: 'NET-037',
  severity: 'mind',
  about: 'an address that sources leave with has too few ports for the planned nodes',
  find: (g, view) =>
    g.nat.flatMap((n, i) => {
      const nodes = view
        .by('Charter', 'site', g.site)
        .flatMap((c) => planFor(view, c).nodes)
        .filter((x) => x.address && covers(n.from, x.address));
      const same = g.nat.filter((o) => o.from === n.from && o.out === n.out).length;
      const each = Math.floor((ports * same) / Math.max(1, nodes.length));
      return each >= least
        ? []
        : [
            at(g, ['nat', i, 'to'], {
              title: `${nodes.length} nodes share the ports of ${n.to}`,
              text: `${ports.toLocaleString('en')} ports for ${nodes.length} nodes are ${each} for each to one address outside; under ${least.toLocaleString('en')} connections are refused when many begin at once.`,
            }),
          ];
    }),
});
