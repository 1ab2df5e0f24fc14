import { circleMeans, circlesAt, circleText } from '../../cold-start/index.ts';
import { at, each } from '../check.ts';

export const CHT049 = each('Site', {
  code: 'CHT-049',
  severity: 'mind',
  about: 'after a loss of all power, parts of a site wait for each other, and none of them starts by itself',
  find: (d, view) =>
    view
      .memo(`circles at ${d.name}`, () => circlesAt(view, d.name))
      .filter((c) => !c.unless)
      .map((c) =>
        at(d, ['resolvers'], {
          title: `${d.title} does not start by itself after a loss of all power`,
          text: `${circleText(c)}: ${c.parts.map((p) => p.why).join('; ')}. ${circleMeans(c)}`,
          ...(c.mend
            ? { remedy: c.mend }
            : { remedy: { label: 'See the cold start', act: { kind: 'open', path: `/rehearse/cold-start?of=${d.name}` } } }),
        }),
      ),
});
