import type { Team } from '../../model/documents.ts';
import { at, each } from '../check.ts';

export const ACC002 = each('Charter', {
  code: 'ACC-002',
  severity: 'stop',
  about: 'a charter names a mould or a template that its team may not use',
  find: (d, view) => {
    const team = d.team ? view.get('Team', d.team) : undefined;
    if (!team) return [];
    const pools = [
      { path: ['controlPlane', 'mould'], mould: d.controlPlane.mould },
      { path: ['workers', 'mould'], mould: d.workers.mould },
      ...(d.pools ?? []).map((p, n) => ({ path: ['pools', n, 'mould'], mould: p.mould })),
    ];
    const named = [
      ...pools.map(({ path, mould }) => ({ path, name: mould, list: 'moulds' as const, what: 'mould' })),
      { path: ['template', 'name'], name: d.template?.name, list: 'templates' as const, what: 'template' },
    ];
    return named.flatMap(({ path, name, list, what }) => {
      const may = team[list];
      if (!name || !may || may.includes(name)) return [];
      return [
        at(d, path, {
          title: `${team.name} may not use the ${what} ${name}`,
          text: may.length ? `It may use ${may.join(', ')}.` : `It may use no ${what}.`,
          charters: [d.name],
          remedy: allow(team, list, name),
        }),
      ];
    });
  },
});

const allow = (team: Team, list: 'moulds' | 'templates', name: string) => ({
  label: `Let ${team.name} use it`,
  edits: [{ op: 'set' as const, kind: 'Team' as const, key: team.name, path: [list], value: [...(team[list] ?? []), name] }],
});
