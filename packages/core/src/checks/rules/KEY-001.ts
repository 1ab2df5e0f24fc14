import { credentialOf } from '../../access/credentials.ts';
import { holds, isIp, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Doc } from '../../model/documents.ts';
import type { View } from '../../reading/index.ts';
import { credentialNamed, each, namingKinds } from '../check.ts';

/** The form of a new entry, with what is known of it. */
function addPath(doc: Doc, entry: string, view: View): string {
  const to = credentialOf(doc);
  const ip = to?.address && isIp(to.address) ? parseIp(to.address) : undefined;
  // Controllers of a site share one entry: it may be sent to their whole network.
  const network =
    doc.kind === 'Host' && ip
      ? view.by('Network', 'site', doc.site).find((n) => holds(prefixRange(parsePrefix(n.prefix)), ip))
      : undefined;
  const place =
    network?.prefix ??
    (doc.kind === 'Registry' || doc.kind === 'BackupStore' ? `${doc.kind} ${doc.name}` : (to?.address ?? to?.host ?? ''));
  return `/keyring?add=${entry}&use=${to?.use ?? 'other'}&places=${encodeURIComponent(place)}`;
}

export const KEY001 = each(namingKinds, {
  code: 'KEY-001',
  severity: 'stop',
  about: 'a credential is named that the keyring does not have',
  find: (doc, view) => {
    const named = credentialNamed(view, doc);
    if (!named || view.get('key', named.to.entry)) return [];
    const { entry } = named.to;
    return [
      {
        ...named.at,
        title: `The keyring has no entry ${entry}`,
        text: `${doc.kind} ${doc.name} names it (${named.at.path.join('.')}). Until it is added, nothing can sign in there.`,
        remedy: { label: `Add ${entry} to the keyring`, act: { kind: 'open' as const, path: addPath(doc, entry, view) } },
      },
    ];
  },
});
