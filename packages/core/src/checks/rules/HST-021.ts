import { dayText } from '../../words/moments.ts';
import { at, clockOf, each } from '../check.ts';

export const HST021 = each('Host', {
  code: 'HST-021',
  severity: 'note',
  about: 'the facts of a host are old',
  find: (d, view) => {
    const f = d.facts;
    const days = f ? Math.floor((Date.parse(view.now) - Date.parse(f.at)) / 86_400_000) : 0;
    return f && days > 90 && d.state !== 'retired'
      ? [
          at(d, ['facts', 'at'], {
            title: `The facts of ${d.name} are ${days} days old`,
            text: `They were read ${dayText(f.at, clockOf(view, d.site))}; what fits is computed from them.`,
            remedy: { label: `Open ${d.name}`, act: { kind: 'open', path: `/hosts/${d.name}` } },
          }),
        ]
      : [];
  },
});
