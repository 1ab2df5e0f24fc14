import type { MoveRule, Said } from '../move.ts';

/** Clusters that stand, and of which something that was proved does not hold any more. */
export const drift: MoveRule = ({ site, charters, unbuilt, built }) =>
  charters.flatMap((c): Said[] => {
    const b = built[c.name];
    if (!b?.drift || unbuilt.includes(c) || ['queued', 'running', 'paused'].includes(b.state)) return [];
    const more = b.drift.count > 1 ? ` and ${b.drift.count - 1} more` : '';
    return [
      {
        stage: 'mend',
        text: `${c.name} is not as it was proved: ${b.drift.what}${more}`,
        label: 'Look at it',
        go: `/clusters/${c.name}?tab=proof&site=${site.name}`,
      },
    ];
  });
