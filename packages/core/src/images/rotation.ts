import { counted } from '../words/amounts.ts';
import type { Estate } from '../model/estate.ts';

export interface Place {
  what: 'registry' | 'hosts' | 'shipments' | 'trust';
  subject: string;
  text: string;
}

const on = (hosts: number) => (hosts ? `on ${counted(hosts, 'host')}` : 'in the boot kit');

/** Every place that must change when a credential of the keyring does. */
export function placesOfCredential(estate: Estate, key: string): Place[] {
  const registries = estate.registries.filter((r) => r.credential === key);
  return registries.flatMap((r): Place[] => {
    const users = estate.charters.filter((c) => c.mirror === r.name);
    return [
      { what: 'registry', subject: r.name, text: `${r.endpoint}: its list of users` },
      ...users.map((c): Place => {
        const n = estate.hosts.filter((h) => h.held?.charter === c.name).length;
        return { what: 'hosts', subject: c.name, text: `hosts.toml ${on(n)} of ${c.name}` };
      }),
      { what: 'shipments', subject: r.name, text: `shipments to and from ${r.name}: the keyring entry ${key}` },
    ];
  });
}

/** Every place that must change, and in which order, when the authority of a registry's certificate does. */
export function placesOfAuthority(estate: Estate, registry: string): Place[] {
  const r = estate.registries.find((x) => x.name === registry);
  if (!r) return [];
  return [
    { what: 'trust', subject: r.name, text: `the trust of ${r.name} in the estate: old and new side by side` },
    ...estate.charters
      .filter((c) => c.mirror === r.name)
      .map((c): Place => {
        const n = estate.hosts.filter((h) => h.held?.charter === c.name).length;
        return { what: 'hosts', subject: c.name, text: `mirror-ca.crt ${on(n)} of ${c.name}` };
      }),
    { what: 'registry', subject: r.name, text: `${r.endpoint}: its new certificate, last` },
    { what: 'trust', subject: r.name, text: 'the old authority taken out again' },
  ];
}
