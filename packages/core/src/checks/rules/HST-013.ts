import type { Check } from '../check.ts';

export const HST013: Check = {
  code: 'HST-013',
  severity: 'note',
  about: 'a host was given back and is not wiped yet',
  reads: ['hosts'],
  find: ({ estate }) =>
    estate.hosts
      .filter((h) => h.state === 'resting' && !h.wiped)
      .map((h) => ({
        subject: { kind: 'Host', name: h.name },
        path: ['state'],
        site: h.site,
        title: `${h.name} rests and is not wiped`,
        text: 'Its drives still hold what it served. Wiped, with the proof kept, it is free for another charter.',
        remedy: { label: 'Open its page', act: { kind: 'open', path: `/hosts/${h.name}` } },
      })),
};
