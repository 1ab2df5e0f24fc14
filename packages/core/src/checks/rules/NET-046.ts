import { at, each } from '../check.ts';

export const NET046 = each('Network', {
  code: 'NET-046',
  severity: 'stop',
  about: 'the precinct of one cluster has machines of another in it',
  find: (n, view) =>
    n.precinct === undefined
      ? []
      : view
          .by('Charter', 'network', n.name)
          .filter((c) => c.name !== n.precinct)
          .map((c) =>
            at(c, ['machineNetwork'], {
              charters: [c.name],
              title: `${c.name} stands in the precinct of ${n.precinct}`,
              text: `${n.name} is kept for ${n.precinct}, with an outbound address of its own: what ${c.name} sends would leave with that, and nothing stands between the two.`,
            }),
          ),
});
