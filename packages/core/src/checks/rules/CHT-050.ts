import { circleMeans, circlesAt, circleText } from '../../cold-start/index.ts';
import { at, each } from '../check.ts';

export const CHT050 = each('Site', {
  code: 'CHT-050',
  severity: 'note',
  about: 'after a loss of all power, parts of a site wait for each other, and start only on a condition',
  find: (d, view) =>
    view
      .memo(`circles at ${d.name}`, () => circlesAt(view, d.name))
      .filter((c) => c.unless)
      .map((c) =>
        at(d, ['name'], {
          title: `${c.parts[0]?.title} at ${d.title} starts only on a condition after a loss of all power`,
          text: `${circleText(c)}: ${c.parts.map((p) => p.why).join('; ')}. ${circleMeans(c)}`,
          ...(c.mend
            ? { remedy: c.mend }
            : { remedy: { label: 'See the cold start', act: { kind: 'open', path: `/rehearse/cold-start?of=${d.name}` } } }),
        }),
      ),
});
