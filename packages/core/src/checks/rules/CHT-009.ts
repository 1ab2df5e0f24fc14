import { nearest } from '../../model/nearest.ts';
import { type Check, planSlices } from '../check.ts';

export const CHT009: Check = {
  code: 'CHT-009',
  severity: 'stop',
  about: 'a charter refers to something that is not declared',
  reads: planSlices,
  find: (view) =>
    view.estate.charters.flatMap((c) =>
      view
        .plan(c)
        .problems.filter((p) => ['site', 'release', 'addon', 'mirror', 'network'].includes(p.about))
        .map((p) => {
          const names: Record<string, { name: string }[]> = {
            site: view.estate.sites,
            release: view.estate.releases,
            addon: view.estate.addons,
            mirror: view.estate.registries,
            network: view.estate.networks.filter((n) => n.site === c.site),
          };
          const list = names[p.about] ?? [];
          const typed = p.text.split(' ').at(p.about === 'network' ? 4 : -1) ?? '';
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
    ),
};
