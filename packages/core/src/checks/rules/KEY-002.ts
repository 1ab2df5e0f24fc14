import type { Check } from '../check.ts';

export const KEY002: Check = {
  code: 'KEY-002',
  severity: 'mind',
  about: 'a charter lets nobody in by SSH',
  reads: ['charters'],
  find: ({ estate }) =>
    estate.charters
      .filter((c) => c.sshKeys.length === 0)
      .map((c) => ({
        subject: { kind: 'Charter', name: c.name },
        path: ['sshKeys'],
        site: c.site,
        title: `Nobody can log in to the hosts of ${c.name}`,
        text: 'Passwords are locked, and the charter names no SSH key. A host that does not boot cannot be looked at.',
      })),
};
