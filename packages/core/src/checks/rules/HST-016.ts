import { clockText } from '../../words/moments.ts';
import { clockOf, each } from '../check.ts';
import { mendController } from '../mend.ts';

export const HST016 = each('Host', {
  code: 'HST-016',
  severity: 'mind',
  about: 'a controller failed when it was asked last',
  find: (h, view) => {
    const seen = h.bmc && view.get('seen controller', h.name);
    if (!seen) return [];
    // A certificate that a sweep has seen is HST-003's, which offers to pin it.
    const swept = view.get('sighting', h.bmc?.address ?? '')?.fingerprint;
    if (seen.fault === 'pin' && swept && swept !== h.bmc?.fingerprint) return [];
    return [
      {
        subject: { kind: 'Host' as const, name: h.name },
        path: ['bmc', 'address'],
        site: h.site,
        title: `The controller of ${h.name} ${said[seen.fault] ?? 'failed'}`,
        text: `${seen.error}. Since ${clockText(seen.at, clockOf(view, h.site))}.`,
        remedy: mendController(h, seen.fault),
      },
    ];
  },
});

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
