import { each } from '../check.ts';
import { circleHits } from '../circles.ts';

export const CHT050 = each('Site', {
  code: 'CHT-050',
  severity: 'note',
  about: 'after a loss of all power, parts of a site wait for each other, and start only on a condition',
  find: (d, view) =>
    circleHits(d, view, {
      conditional: true,
      path: 'name',
      title: (c) => `${c.parts[0]?.title} at ${d.title} starts only on a condition after a loss of all power`,
    }),
});
