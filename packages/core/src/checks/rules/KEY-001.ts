import { credentialOf } from '../../access/credentials.ts';
import { holds, isIp, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Doc } from '../../model/documents.ts';
import type { Estate } from '../../model/estate.ts';
import { type Check, named } from '../check.ts';

/** The form of a new entry, with what is known of it. */
function addPath(doc: Doc, entry: string, estate: Estate): string {
  const to = credentialOf(doc);
  const ip = to?.address && isIp(to.address) ? parseIp(to.address) : undefined;
  // Controllers of a site share one entry: it may be sent to their whole network.
  const network =
    doc.kind === 'Host' && ip
      ? estate.networks.find((n) => n.site === doc.site && holds(prefixRange(parsePrefix(n.prefix)), ip))
      : undefined;
  const place = network?.prefix ?? (doc.kind === 'Registry' ? `Registry ${doc.name}` : (to?.address ?? to?.host ?? ''));
  return `/keyring?add=${entry}&use=${to?.use ?? 'other'}&places=${encodeURIComponent(place)}`;
}

export const KEY001: Check = {
  code: 'KEY-001',
  severity: 'stop',
  about: 'a credential is named that the keyring does not have',
  reads: ['keys', 'networks', 'hosts', 'hypervisors', 'zones', 'registries', 'charters'],
  find: (view) => {
    const have = new Set(view.estate.keys.map((k) => k.name));
    return named(view)
      .filter((w) => !have.has(w.entry))
      .map(({ doc, entry, ...w }) => ({
        ...w,
        title: `The keyring has no entry ${entry}`,
        text: `${doc.kind} ${doc.name} names it (${w.path.join('.')}). Until it is added, nothing can sign in there.`,
        remedy: { label: `Add ${entry} to the keyring`, act: { kind: 'open' as const, path: addPath(doc, entry, view.estate) } },
      }));
  },
};
