import { hostsFiles } from '../../images/runtime-config.ts';
import { type Check, planSlices } from '../check.ts';

export const IMG011: Check = {
  code: 'IMG-011',
  severity: 'stop',
  about: 'a mirror keeps images where nodes cannot be told to look',
  reads: planSlices,
  find: (view) =>
    view.estate.charters.flatMap((c) => {
      const { mirror, mirrorRules } = view.plan(c);
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
    }),
};
