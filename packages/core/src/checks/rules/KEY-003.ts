import { credentialOf, keptBack } from '../../access/credentials.ts';
import { type Check, named } from '../check.ts';

export const KEY003: Check = {
  code: 'KEY-003',
  severity: 'stop',
  about: 'a credential may not be sent where a document says',
  reads: ['keys', 'hosts', 'hypervisors', 'zones', 'registries', 'charters'],
  find: (view) => {
    const entries = new Map(view.estate.keys.map((k) => [k.name, k]));
    return named(view).flatMap(({ doc, entry, ...w }) => {
      const e = entries.get(entry);
      const to = credentialOf(doc);
      const why = e && to && keptBack(e, to);
      return why
        ? [
            {
              ...w,
              title: `${entry} may not be sent to ${to?.host ?? to?.address}`,
              text: `${doc.kind} ${doc.name} names it, but ${why}. Nothing is sent there.`,
              remedy: { label: `Change ${entry}`, act: { kind: 'open' as const, path: `/keyring?change=${entry}` } },
            },
          ]
        : [];
    });
  },
};
