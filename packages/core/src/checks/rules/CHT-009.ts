import { systemsOf } from '../../model/systems.ts';
import { nearest } from '../../model/nearest.ts';
import { each, planFor } from '../check.ts';

/** Where what a field names is kept; a mirror is one of the registries. */
const shelves = { site: 'Site', release: 'Release', addon: 'Addon', network: 'Network' } as const;

export const CHT009 = each('Charter', {
  code: 'CHT-009',
  severity: 'stop',
  about: 'a charter refers to something that is not declared',
  find: (c, view) =>
    planFor(view, c)
      .problems.filter((p) => ['site', 'release', 'system', 'addon', 'mirror', 'network'].includes(p.about))
      .map((p) => {
        const shelf = shelves[p.about as keyof typeof shelves] ?? 'Registry';
        const list: readonly { name: string }[] =
          p.about === 'network'
            ? view.by('Network', 'site', c.site)
            : p.about === 'system'
              ? systemsOf(view.get('Release', c.release))
              : view.all(shelf);
        const typed = p.named ?? '';
        const near = nearest(
          typed,
          list.map((x) => x.name),
        );
        return {
          subject: { kind: 'Charter' as const, name: c.name },
          path: p.path,
          site: c.site,
          title: `${p.text[0]?.toUpperCase()}${p.text.slice(1)}`,
          text: list.length
            ? `There are ${list
                .slice(0, 6)
                .map((x) => x.name)
                .join(', ')}.`
            : 'None is declared at all.',
          ...(near
            ? {
                remedy: {
                  label: `Set ${near}`,
                  edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: p.path, value: near }],
                },
              }
            : {}),
        };
      }),
});
