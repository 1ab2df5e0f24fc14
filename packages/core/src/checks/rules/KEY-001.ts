import type { Check } from '../check.ts';

export const KEY001: Check = {
  code: 'KEY-001',
  severity: 'stop',
  about: 'a credential is named that the keyring does not hold',
  reads: ['keys', 'hosts', 'zones', 'registries', 'charters'],
  find: ({ estate, chartersAt }) => {
    const have = new Set(estate.keys.map((k) => k.name));
    const wants = [
      ...estate.hosts.flatMap((h) =>
        h.bmc
          ? [
              {
                key: h.bmc.credential,
                kind: 'Host' as const,
                name: h.name,
                site: h.site,
                path: ['bmc', 'credential'],
                charters: h.held && h.state === 'held' ? [h.held.charter] : [],
              },
            ]
          : [],
      ),
      ...estate.zones.map((z) => ({
        key: z.key,
        kind: 'Zone' as const,
        name: z.name,
        site: z.site,
        path: ['key'],
        charters: chartersAt(z.site),
      })),
      ...estate.registries.flatMap((r) =>
        r.credential
          ? [
              {
                key: r.credential,
                kind: 'Registry' as const,
                name: r.name,
                site: r.site,
                path: ['credential'],
                charters: estate.charters.filter((c) => c.mirror === r.name).map((c) => c.name),
              },
            ]
          : [],
      ),
    ];
    return wants
      .filter((w) => !have.has(w.key))
      .map((w) => ({
        subject: { kind: w.kind, name: w.name },
        path: w.path,
        site: w.site,
        charters: w.charters,
        title: `${w.name} needs ${w.key}`,
        text: 'The keyring holds nothing of that name.',
        remedy: { label: 'Open the keyring', act: { kind: 'open' as const, path: '/keyring' } },
      }));
  },
};
