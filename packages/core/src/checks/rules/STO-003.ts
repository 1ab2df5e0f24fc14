import type { PlannedClass } from '../../charter/plan.ts';
import { at, each, planFor, setTo } from '../check.ts';

/** What copies never share. */
const apartBy = (c: PlannedClass) => (c.mayShare ? 'host' : c.apart);

export const STO003 = each('Charter', {
  code: 'STO-003',
  severity: 'stop',
  about: 'more copies of a volume are asked than there are places apart',
  find: (d, view) =>
    planFor(view, d).storage.flatMap((c, i) =>
      c.kind === 'copies' && c.places > 0 && c.copies > c.places
        ? [
            at(d, ['storage', i, 'copies'], {
              title: `${c.copies} copies, and ${c.places} ${c.places === 1 ? apartBy(c) : `${apartBy(c)}s`}`,
              text: `No two copies of ${c.name} may share a ${apartBy(c)}, and its hosts stand in ${c.places}: the last ${c.copies - c.places} would never be made, and every volume stays degraded.`,
              remedy: setTo(d, ['storage', i, 'copies'], c.places, `Keep ${c.places}`),
            }),
          ]
        : [],
    ),
});
