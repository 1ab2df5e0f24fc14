import { at, each, openDoc } from '../check.ts';

export const IMG013 = each('Registry', {
  code: 'IMG-013',
  severity: 'mind',
  about: 'the host of a registry is not listed',
  find: (d, view) => {
    return d.host && !view.get('Host', d.host) && !view.get('Hypervisor', d.host)
      ? [
          at(d, ['host'], {
            title: `${d.name} stands on ${d.host}, which is not listed`,
            text: 'No host of that name is in the estate.',
            remedy: openDoc(d),
          }),
        ]
      : [];
  },
});
