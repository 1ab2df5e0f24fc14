import { credentialOf } from '../access/credentials.ts';
import type { Host, Hypervisor, Registry, Zone } from '../model/documents.ts';
import type { Remedy } from './check.ts';

const open = (label: string, path: string): Remedy => ({ label, act: { kind: 'open', path } });

/**
 * What mends that something outside cannot be looked at, by the kind of fault that its client told: a credential in the keyring, a
 * certificate under Trust, a resolver of the site, room on a disk, else what is declared of it.
 */
export function mendOutside(doc: Registry | Zone | Hypervisor, fault: string | undefined): Remedy {
  const edit = `/declare?edit=${encodeURIComponent(`${doc.kind} ${doc.name}`)}`;
  const entry = credentialOf(doc)?.entry;
  if ((fault === 'credentials' || fault === 'kept-back') && entry) return open(`Change ${entry}`, `/keyring?change=${entry}`);
  if ((fault === 'trust' || fault === 'name' || fault === 'pin') && doc.kind === 'Registry' && doc.role !== 'source')
    return open('Show its certificate', `/images/rules?registry=${doc.name}`);
  if (fault === 'unresolved')
    return open('Check the resolvers of its site', `/declare?edit=${encodeURIComponent(`Site ${doc.site}`)}`);
  if (fault === 'digest' && doc.kind === 'Registry')
    return doc.role === 'source'
      ? open('Ship it from another registry', '/images')
      : open('Verify its content', `/images/clean-up?registry=${doc.name}`);
  if (fault === 'full' && doc.kind === 'Registry')
    return open('Show what can be deleted', `/images/clean-up?registry=${doc.name}`);
  return open(doc.kind === 'Zone' ? 'Check its primary and key' : 'Check its endpoint', edit);
}

/** What mends a controller that fails: its password in the keyring, else its host, where the controller is looked at and asked again. */
export function mendController(host: Host, fault: string): Remedy {
  const entry = credentialOf(host)?.entry;
  if ((fault === 'credentials' || fault === 'kept-back') && entry) return open(`Change ${entry}`, `/keyring?change=${entry}`);
  return open(`Open ${host.name}, and ask it again`, `/hosts/${host.name}`);
}
