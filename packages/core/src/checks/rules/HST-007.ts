import { each } from '../check.ts';

export const HST007 = each('sighting', {
  code: 'HST-007',
  severity: 'note',
  about: "something answers on the management network that is nobody's",
  find: (s, view) => {
    if (view.by('Host', 'controller', s.address).length || (s.error === undefined && s.accepted)) return [];
    return [
      {
        subject: { kind: 'Sighting', name: s.address },
        path: [],
        site: s.site,
        title: `A host nobody knows at ${s.address}`,
        text: s.error
          ? `${s.error}.`
          : 'It answers on the management network and is not in the estate. Compare its fingerprint with the sheet that came with the machine.',
        remedy: { label: 'Show it', act: { kind: 'open', path: `/hosts?site=${s.site}&at=${s.address}` } },
      },
    ];
  },
});
