import type { Check } from '../check.ts';
import { mendController } from '../mend.ts';

export const HST016: Check = {
  code: 'HST-016',
  severity: 'mind',
  about: 'a controller failed when it was asked last',
  reads: ['hosts', 'seenControllers', 'sightings'],
  find: ({ estate }) => {
    const sweeps = new Map(estate.observed.sightings.map((s) => [s.address, s.fingerprint]));
    return estate.hosts.flatMap((h) => {
      const seen = h.bmc && estate.observed.controllers[h.name];
      if (!seen) return [];
      // A certificate that a sweep has seen is HST-003's, which offers to pin it.
      const swept = sweeps.get(h.bmc?.address ?? '');
      if (seen.fault === 'pin' && swept && swept !== h.bmc?.fingerprint) return [];
      return [
        {
          subject: { kind: 'Host' as const, name: h.name },
          path: ['bmc', 'address'],
          site: h.site,
          title: `The controller of ${h.name} ${said[seen.fault] ?? 'failed'}`,
          text: `${seen.error}. Since ${seen.at.slice(11, 16)} UTC.`,
          remedy: mendController(h, seen.fault),
        },
      ];
    });
  },
};

/** What it did, by the kind of fault that the client of Redfish tells. */
const said: Record<string, string> = {
  silent: 'does not answer',
  refused: 'refuses connections',
  cut: 'cuts connections off',
  pin: 'shows another certificate',
  credentials: 'refuses the password',
  'kept-back': 'was not asked: its credential may not go there',
  answer: 'answers what is not Redfish',
};
