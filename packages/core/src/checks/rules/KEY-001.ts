import { type Check, named } from '../check.ts';

export const KEY001: Check = {
  code: 'KEY-001',
  severity: 'stop',
  about: 'a credential is named that the keyring does not hold',
  reads: ['keys', 'hosts', 'hypervisors', 'zones', 'registries', 'charters'],
  find: (view) => {
    const have = new Set(view.estate.keys.map((k) => k.name));
    return named(view)
      .filter((w) => !have.has(w.entry))
      .map(({ doc, entry, ...w }) => ({
        ...w,
        title: `${doc.name} needs ${entry}`,
        text: 'The keyring holds nothing of that name.',
        remedy: { label: 'Open the keyring', act: { kind: 'open' as const, path: '/keyring' } },
      }));
  },
};
