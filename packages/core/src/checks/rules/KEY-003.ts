import { keptBack } from '../../access/credentials.ts';
import { credentialNamed, each, namingKinds } from '../check.ts';

export const KEY003 = each(namingKinds, {
  code: 'KEY-003',
  severity: 'stop',
  about: 'a credential may not be sent where a document says',
  find: (doc, view) => {
    const named = credentialNamed(view, doc);
    const entry = named && view.get('key', named.to.entry);
    const why = entry && keptBack(entry, named.to);
    return why
      ? [
          {
            ...named.at,
            title: `${entry.name} may not be sent to ${named.to.host ?? named.to.address}`,
            text: `${doc.kind} ${doc.name} names it, but ${why}. Nothing is sent there.`,
            remedy: { label: `Change ${entry.name}`, act: { kind: 'open' as const, path: `/keyring?change=${entry.name}` } },
          },
        ]
      : [];
  },
});
