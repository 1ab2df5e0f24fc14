import { at, each } from '../check.ts';

export const STO024 = each('BackupStore', {
  code: 'STO-024',
  severity: 'mind',
  about: 'the key that encrypts backups is not in the keyring, or is for something else',
  find: (s, view) => {
    const held = view.get('key', s.key);
    if (held?.use === 'encryption') return [];
    return [
      at(s, ['key'], {
        title: held ? `${s.key} is for use ${held.use}, not for encryption` : `The keyring has no entry ${s.key}`,
        text: `What lies in ${s.name} is encrypted with it.`,
        remedy: {
          label: held ? 'Open the keyring' : `Add ${s.key} to the keyring`,
          act: { kind: 'open' as const, path: held ? '/keyring' : `/keyring?add=${s.key}&use=encryption` },
        },
      }),
    ];
  },
});
