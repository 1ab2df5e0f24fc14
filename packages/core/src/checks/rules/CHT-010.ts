import { each } from '../check.ts';

export const CHT010 = each('Charter', {
  code: 'CHT-010',
  severity: 'stop',
  about: 'a release does not support the architecture',
  find: (c, view) => {
    const r = view.get('Release', c.release);
    return r && !r.arch.includes(c.arch)
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['arch'],
            site: c.site,
            title: `${r.name} is not made for ${c.arch}`,
            text: `It has images for ${r.arch.join(', ')}.`,
            remedy: {
              label: `Set ${r.arch[0]}`,
              edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: ['arch'], value: r.arch[0] }],
            },
          },
        ]
      : [];
  },
});
