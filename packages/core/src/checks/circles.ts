import { circleMeans, circlesAt, circleText, type StartCircle } from '../cold-start/index.ts';
import type { DocOf } from '../model/documents.ts';
import type { View } from '../reading/index.ts';
import { at, type Hit } from './check.ts';

/** Circles of a site after a loss of all power as findings: those that start on a condition, or those that do not start at all. */
export const circleHits = (
  site: DocOf<'Site'>,
  view: View,
  { conditional, path, title }: { conditional: boolean; path: string; title: (c: StartCircle) => string },
): Hit[] =>
  view
    .memo(`circles at ${site.name}`, () => circlesAt(view, site.name))
    .filter((c) => (c.unless !== undefined) === conditional)
    .map((c) =>
      at(site, [path], {
        title: title(c),
        text: `${circleText(c)}: ${c.parts.map((p) => p.why).join('; ')}. ${circleMeans(c)}`,
        remedy: c.mend ?? {
          label: 'See the cold start',
          act: { kind: 'open', path: `/rehearse/cold-start?of=${site.name}` },
        },
      }),
    );
