import { hostsFiles } from '../../images/runtime-config.ts';
import { each, planFor } from '../check.ts';

export const IMG011 = each('Charter', {
  code: 'IMG-011',
  severity: 'stop',
  about: 'a mirror keeps images where nodes cannot be told to look',
  find: (c, view) => {
    const { mirror, mirrorRules } = planFor(view, c);
    if (!mirror?.keeps?.length) return [];
    return hostsFiles(mirrorRules).flatMap(({ source, unsaid }) => {
      const [rule] = unsaid;
      if (!rule) return [];
      return [
        {
          subject: { kind: 'Charter' as const, name: c.name },
          path: ['mirror'],
          site: c.site,
          title: `Nodes of ${c.name} would look elsewhere than at ${rule.mirror}`,
          text: `${mirror.name} keeps ${rule.source} below ${rule.mirror}, and other images of ${source} not beside it. The runtime is told one place for a whole registry: keep all of ${source} below one path.`,
        },
      ];
    });
  },
});
