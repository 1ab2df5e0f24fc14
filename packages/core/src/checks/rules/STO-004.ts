import { at, each, planFor, setTo } from '../check.ts';

export const STO004 = each('Charter', {
  code: 'STO-004',
  severity: 'mind',
  about: 'a storage class keeps one copy where there is room for two',
  find: (d, view) =>
    planFor(view, d).storage.flatMap((c, i) =>
      c.kind === 'copies' && c.copies === 1 && c.places > 1
        ? [
            at(d, ['storage', i, 'copies'], {
              title: `${c.name} keeps one copy`,
              text: `What is in its volumes is lost with one disk. There is room for ${Math.min(3, c.places)} copies.`,
              remedy: setTo(d, ['storage', i, 'copies'], undefined, `Let it follow: ${Math.min(3, c.places)}`),
            }),
          ]
        : [],
    ),
});
