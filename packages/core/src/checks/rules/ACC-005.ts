import { beyond, beyondText, raised, usageOf } from '../../teams/usage.ts';
import { at, each } from '../check.ts';

export const ACC005 = each('Team', {
  code: 'ACC-005',
  severity: 'mind',
  about: 'what a team has planned is more than its allowance',
  find: (team, view) => {
    const { stands, planned } = usageOf(view, team.name);
    const over = beyond(team.allowance, planned);
    if (!over.length) return [];
    return [
      at(team, ['allowance', over[0]?.measure ?? 'hosts'], {
        title: `${team.name} plans ${beyondText(over)}`,
        text: beyond(team.allowance, stands).length
          ? 'It has more than that already, which it keeps.'
          : 'What is built first is built; the last of its clusters cannot be.',
        remedy: {
          label: over.length === 1 ? `Raise it to ${Math.ceil(over[0]?.is ?? 0)}` : 'Raise it to what is planned',
          edits: raised(team.name, over),
        },
      }),
    ];
  },
});
