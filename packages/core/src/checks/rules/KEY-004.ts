import { keptBack } from '../../access/credentials.ts';
import { at, each, planFor } from '../check.ts';

export const KEY004 = each('Charter', {
  code: 'KEY-004',
  severity: 'stop',
  about: 'the keyring does not have what a charter names, or may not give it',
  find: (d, view) => {
    const document = `Charter ${d.name}`;
    const named = [
      ...planFor(view, d)
        .answers.filter((a) => a.secret)
        .map((a) => ({ entry: a.value, path: ['answers'], by: `${a.addon} ${a.question}` })),
    ];
    return named.flatMap(({ entry, path, by }) => {
      const held = view.get('key', entry);
      const why = held && keptBack(held, { use: 'other', document });
      if (held && !why) return [];
      return [
        at(d, path, {
          title: held ? `${entry} is not for ${d.name}` : `The keyring has no entry ${entry}`,
          text: `${d.name} names it for ${by}. ${why ? `${why}.` : 'Until it is added, the kit cannot be written.'}`,
          remedy: {
            label: held ? 'Open the keyring' : `Add ${entry} to the keyring`,
            act: {
              kind: 'open' as const,
              path: held ? '/keyring' : `/keyring?add=${entry}&use=other&places=${encodeURIComponent(document)}`,
            },
          },
        }),
      ];
    });
  },
});
