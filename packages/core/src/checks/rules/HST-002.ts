import { each } from '../check.ts';

export const HST002 = each('Host', {
  code: 'HST-002',
  severity: 'note',
  about: 'a host without a second disk',
  find: (h) =>
    h.facts && !h.guest && h.facts.disks.length < 2 && h.state !== 'retired'
      ? [
          {
            subject: { kind: 'Host', name: h.name },
            path: ['facts', 'disks'],
            site: h.site,
            title: `${h.name} could serve with a second disk`,
            text: 'Container storage wants a disk of its own; one drive of 200 GB or more makes it fit for control plane and worker.',
          },
        ]
      : [],
});
