import { beyond, beyondText, raised, standsOf, withOneBuilt, wouldHaveOf } from '../../teams/usage.ts';
import { at, each } from '../check.ts';

export const ACC003 = each('Charter', {
  code: 'ACC-003',
  severity: 'stop',
  about: 'a cluster would take its team beyond its allowance',
  find: (d, view) => {
    const team = d.team ? view.get('Team', d.team) : undefined;
    if (!team || !Object.keys(team.allowance).length) return [];
    const [has, would] = [standsOf(view, d.name), wouldHaveOf(view, d)];
    // What it has already it keeps: an allowance that was made smaller takes nothing away.
    const over = beyond(team.allowance, withOneBuilt(view, team.name, d)).filter((o) => would[o.measure] > has[o.measure]);
    if (!over.length) return [];
    return [
      at(d, ['team'], {
        title: `With ${d.name}, ${team.name} would have ${beyondText(over)}`,
        text: 'The charter can be saved; nothing more is held for it, and it cannot be built.',
        charters: [d.name],
        remedy: {
          label: `Raise the allowance of ${team.name}`,
          edits: raised(team.name, over),
        },
      }),
    ];
  },
});
