import { spanText } from '../../rehearse/tried.ts';
import { dayText } from '../../words/moments.ts';
import { at, clockOf, each } from '../check.ts';

export const CHT051 = each('Charter', {
  code: 'CHT-051',
  severity: 'note',
  about: 'a loss that was tried went otherwise than rehearsed',
  find: (d, view) =>
    Object.entries(view.get('seen losses', d.name)?.cases ?? {}).flatMap(([lost, tried]) => {
      const other = tried.lines.filter((l) => !l.agrees);
      const [first] = other;
      if (!first) return [];
      return [
        at(d, ['timers'], {
          title: `The loss of ${lost}: ${other.length === 1 ? `${first.name} went` : `${other.length} of ${tried.lines.length} times went`} otherwise than rehearsed`,
          text: `Tried on ${dayText(tried.at, clockOf(view, d.site))}. ${first.name}: rehearsed ${spanText(first.is, 'not at all')}, measured ${spanText(first.came, 'not at all')} after the loss.`,
          remedy: {
            label: 'Open the rehearsal',
            act: { kind: 'open' as const, path: `/rehearse?cluster=${d.name}&lost=${encodeURIComponent(lost)}` },
          },
        }),
      ];
    }),
});
