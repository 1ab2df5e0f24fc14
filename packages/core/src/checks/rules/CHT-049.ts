import { each } from '../check.ts';
import { circleHits } from '../circles.ts';

export const CHT049 = each('Site', {
  code: 'CHT-049',
  severity: 'mind',
  about: 'after a loss of all power, parts of a site wait for each other, and none of them starts by itself',
  find: (d, view) =>
    circleHits(d, view, {
      conditional: false,
      path: 'resolvers',
      title: () => `${d.title} does not start by itself after a loss of all power`,
    }),
});
