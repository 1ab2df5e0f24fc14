import { each } from '../check.ts';

export const HST013 = each('Host', {
  code: 'HST-013',
  severity: 'note',
  about: 'a host was given back and is not wiped yet',
  find: (h) =>
    h.state === 'resting' && !h.wiped
      ? [
          {
            subject: { kind: 'Host', name: h.name },
            path: ['state'],
            site: h.site,
            title: `${h.name} rests and is not wiped`,
            text: 'Its drives still hold what it served. Wiped, with the proof kept, it is free for another charter.',
            remedy: { label: 'Open its page', act: { kind: 'open', path: `/hosts/${h.name}` } },
          },
        ]
      : [],
});
