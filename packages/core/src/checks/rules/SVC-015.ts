import { at, each } from '../check.ts';

export const SVC015 = each('Charter', {
  code: 'SVC-015',
  severity: 'stop',
  about: 'two services are planned at one port of the nodes',
  find: (c) => {
    const ports = c.nodePorts ?? [];
    return ports.flatMap((s, i) => {
      const before = ports.find((o, k) => k < i && o.port === s.port && o.protocol === s.protocol);
      if (!before) return [];
      return [
        at(c, ['nodePorts', i, 'port'], {
          title: `${c.name} plans ${before.name} and ${s.name} at ${s.protocol.toUpperCase()} port ${s.port} of its nodes`,
          text: `A port of the nodes is one service’s: the API refuses ${s.name} while ${before.name} is there.`,
          ...(free(ports) === undefined
            ? {}
            : {
                remedy: {
                  label: `Give ${s.name} port ${free(ports)}`,
                  edits: [
                    {
                      op: 'set' as const,
                      kind: 'Charter' as const,
                      key: c.name,
                      path: ['nodePorts', i, 'port'],
                      value: free(ports),
                    },
                  ],
                },
              }),
        }),
      ];
    });
  },
});
/** The first port that no service is planned at. */
function free(ports: readonly { port: number }[]): number | undefined {
  const taken = new Set(ports.map((p) => p.port));
  for (let port = 30_000; port <= 32_767; port++) if (!taken.has(port)) return port;
  return undefined;
}
