import { bytesText } from '../../words/amounts.ts';
import { deletable } from '../../images/retention.ts';
import { each } from '../check.ts';
import { estateOf } from '../mirrors.ts';

export const IMG009 = each('Registry', {
  code: 'IMG-009',
  severity: 'note',
  about: 'a registry holds what nobody asks for',
  find: (r, view) => {
    if (r.role === 'source' || !view.get('seen registry', r.name)?.names) return [];
    const { goes, free } = deletable(estateOf(view, r.name), r.name, { last: 1 });
    // A bill that only shares names with another frees nothing worth a note.
    return free.declaredBytes > 1e9
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['diskGB'],
            site: r.site,
            title: `${bytesText(free.declaredBytes)} can be deleted at ${r.name}`,
            text: `${goes.map((g) => g.bill).join(' and ')}: no charter and no draft asks for ${goes.length === 1 ? 'it' : 'them'}, and ${goes.length === 1 ? 'it is' : 'they are'} not the newest.`,
            remedy: { label: 'Show what and why', act: { kind: 'open' as const, path: `/images/clean-up?registry=${r.name}` } },
          },
        ]
      : [];
  },
});
