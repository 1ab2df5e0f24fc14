import { at, each, setTo } from '../check.ts';

export const ACC004 = each('Charter', {
  code: 'ACC-004',
  severity: 'stop',
  about: 'the team of a cluster is not declared',
  find: (d, view) =>
    d.team && !view.get('Team', d.team)
      ? [
          at(d, ['team'], {
            title: `There is no team ${d.team}`,
            text: 'Nobody in particular may change the cluster, and it counts in no allowance.',
            charters: [d.name],
            remedy: setTo(d, ['team'], undefined, 'Take the team out of the charter'),
          }),
        ]
      : [],
});
