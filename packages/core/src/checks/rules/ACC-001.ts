import { at, each } from '../check.ts';

export const ACC001 = each('Charter', {
  code: 'ACC-001',
  severity: 'stop',
  about: 'a cluster stands at a site where its team has none',
  find: (d, view) => {
    const team = d.team ? view.get('Team', d.team) : undefined;
    if (!team?.sites || team.sites.includes(d.site)) return [];
    return [
      at(d, ['team'], {
        title: `${team.name} has no clusters at ${d.site}`,
        text: team.sites.length ? `Its sites are ${team.sites.join(', ')}.` : 'It has no sites.',
        charters: [d.name],
        remedy: {
          label: `Let ${team.name} have clusters at ${d.site}`,
          edits: [{ op: 'set', kind: 'Team', key: team.name, path: ['sites'], value: [...team.sites, d.site] }],
        },
      }),
    ];
  },
});
