import { holdsCount } from '../../model/observed.ts';
import { each, serves } from '../check.ts';
import { mendOutside } from '../mend.ts';

export const IMG006 = each('Charter', {
  code: 'IMG-006',
  severity: 'stop',
  about: "nobody could look into a charter's mirror yet",
  find: (c, view) => {
    if (serves(view, c)) return [];
    const seen = view.get('seen registry', c.mirror);
    const mirror = view.get('Registry', c.mirror);
    return seen?.error && holdsCount(seen) === 0
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['mirror'],
            site: c.site,
            title: `What ${c.mirror} holds is not known`,
            text: `It was never reached from here: ${seen.error}. Whether nodes could pull from it cannot be said.`,
            ...(mirror ? { remedy: mendOutside(mirror, seen.fault) } : {}),
          },
        ]
      : [];
  },
});
