import { at, each, setTo } from '../check.ts';

const lists = [
  ['sites', 'Site', 'site'],
  ['moulds', 'Mould', 'mould'],
  ['templates', 'Template', 'template'],
] as const;

export const ACC006 = each('Team', {
  code: 'ACC-006',
  severity: 'mind',
  about: 'a team is given a site, a mould or a template that is not declared',
  find: (team, view) =>
    lists.flatMap(([list, kind, what]) =>
      (team[list] ?? []).flatMap((name, n) =>
        view.get(kind, name)
          ? []
          : [
              at(team, [list, n], {
                title: `There is no ${what} ${name}`,
                text: `${team.name} may use it, and nobody can.`,
                remedy: setTo(
                  team,
                  [list],
                  (team[list] ?? []).filter((x) => x !== name),
                  `Take ${name} out`,
                ),
              }),
            ],
      ),
    ),
});
