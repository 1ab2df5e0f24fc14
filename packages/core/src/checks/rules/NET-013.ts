import type { Network } from '../../model/documents.ts';
import type { Edit } from '../../model/edit.ts';
import { trace } from '../../reach/trace.ts';
import { at, each, setTo } from '../check.ts';
import { reachAt, someoneIn } from '../reach.ts';

export const NET013 = each('Network', {
  code: 'NET-013',
  severity: 'mind',
  about: 'a network routes to one that it does not reach, that has no way back, or that is not there',
  find: (n, view) =>
    n.routesTo.flatMap((name, i) => {
      const other = view.get('Network', name);
      if (!other)
        return [
          at(n, ['routesTo', i], {
            title: `${n.name} routes to ${name}, which is not there`,
            text: 'No network of that name is declared; nothing can be said about the way there.',
            remedy: setTo(
              n,
              ['routesTo'],
              n.routesTo.filter((x) => x !== name),
              'Take it out',
            ),
          }),
        ];
      // Of networks of different sites both are looked at where they are; without a gateway another check says so.
      if (other.gateway === undefined || n.gateway === undefined) return [];
      if (other.site !== n.site) {
        return other.routesTo.includes(n.name) ? [] : [wayBack(n, other, i)];
      }
      const reach = reachAt(view, n.site);
      const t = trace(reach, someoneIn(reach, n), someoneIn(reach, other), 1);
      if (t.forward.stop?.sort === 'dead')
        return [
          at(n, ['routesTo', i], {
            title: `${n.name} does not reach ${name}`,
            text: `It is declared to; what is sent from ${n.prefix} to ${other.prefix} stops at ${t.forward.stop.at}: ${t.forward.stop.why}.`,
            ...(t.forward.stop.edits.length
              ? { remedy: { label: `Add ${t.forward.stop.lacking.join(', ')}`, edits: t.forward.stop.edits } }
              : {}),
          }),
        ];
      if (t.back.stop?.sort !== 'dead') return [];
      return [wayBack(n, other, i, t.back.stop.edits)];
    }),
});

const wayBack = (n: Network, other: Network, i: number, edits?: Edit[]) =>
  at(n, ['routesTo', i], {
    title: `${other.name} has no way back to ${n.name}`,
    text: `${n.name} routes to ${other.name}; an answer from ${other.prefix} to ${n.prefix} has no route. Connections would open and never answer.`,
    remedy: {
      label: 'Add the way back',
      edits: edits?.length
        ? edits
        : [{ op: 'set', kind: 'Network', key: other.name, path: ['routesTo'], value: [...other.routesTo, n.name] }],
    },
  });
