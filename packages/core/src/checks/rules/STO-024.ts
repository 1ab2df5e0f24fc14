import { keptBack } from '../../access/credentials.ts';
import { at, each } from '../check.ts';

export const STO024 = each('BackupStore', {
  code: 'STO-024',
  severity: 'mind',
  about: 'the key that encrypts backups is not in the keyring, or is for something else',
  find: (s, view) => {
    const held = view.get('key', s.key);
    const why = held && keptBack(held, { use: 'encryption', document: `BackupStore ${s.name}` });
    if (held && !why) return [];
    return [
      at(s, ['key'], {
        title: held ? `${s.key} does not encrypt what goes to ${s.name}` : `The keyring has no entry ${s.key}`,
        text: `What lies in ${s.name} is encrypted with it.${why ? ` ${why}.` : ''}`,
        remedy: {
          label: held ? 'Open the keyring' : `Add ${s.key} to the keyring`,
          act: {
            kind: 'open' as const,
            path: held
              ? '/keyring'
              : `/keyring?add=${s.key}&use=encryption&places=${encodeURIComponent(`BackupStore ${s.name}`)}`,
          },
        },
      }),
    ];
  },
});
