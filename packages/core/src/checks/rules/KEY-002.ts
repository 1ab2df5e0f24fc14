import { each } from '../check.ts';

export const KEY002 = each('Charter', {
  code: 'KEY-002',
  severity: 'mind',
  about: 'a charter lets nobody in by SSH',
  find: (c) =>
    c.sshKeys.length
      ? []
      : [
          {
            subject: { kind: 'Charter', name: c.name },
            path: ['sshKeys'],
            site: c.site,
            title: `Nobody can log in to the hosts of ${c.name}`,
            text: 'Passwords are locked, and the charter names no SSH key. A host that does not boot cannot be looked at.',
          },
        ],
});
