import { each } from '../check.ts';

export const NET013 = each('Network', {
  code: 'NET-013',
  severity: 'mind',
  about: 'a network routes to one that has no way back, or is not there',
  find: (n, view) =>
    n.routesTo.flatMap((name, i) => {
      const other = view.get('Network', name);
      if (other && (other.routesTo.includes(n.name) || other.gateway === undefined || n.gateway === undefined)) return [];
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['routesTo', i],
          site: n.site,
          title: other ? `${name} has no way back to ${n.name}` : `${n.name} routes to ${name}, which is not there`,
          text: other
            ? `${n.name} routes to ${name}; an answer from ${other.prefix} to ${n.prefix} has no route. Connections would open and never answer.`
            : 'No network of that name is declared; nothing can be said about the way there.',
          remedy: other
            ? {
                label: 'Add the way back',
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Network' as const,
                    key: name,
                    path: ['routesTo'],
                    value: [...other.routesTo, n.name],
                  },
                ],
              }
            : {
                label: 'Take it out',
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Network' as const,
                    key: n.name,
                    path: ['routesTo'],
                    value: n.routesTo.filter((x) => x !== name),
                  },
                ],
              },
        },
      ];
    }),
});
