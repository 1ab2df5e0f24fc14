import { at, each, setTo } from '../check.ts';

export const IMG019 = each('Charter', {
  code: 'IMG-019',
  severity: 'stop',
  about: 'the add-on that is to bring the pod network brings none',
  find: (d, view) => {
    const addon = d.podNetwork ? view.get('Addon', d.podNetwork) : undefined;
    if (!addon || (addon.provides === 'pod-network' && addon.manifests)) return [];
    return [
      at(d, ['podNetwork'], {
        title: `${addon.name} brings no pod network`,
        text:
          addon.provides === 'pod-network'
            ? 'It says that it does, and has no manifests: nothing would be given to the cluster.'
            : 'It does not say that it does, and the release’s own would be left out.',
        remedy: setTo(d, ['podNetwork'], undefined, 'Take the release’s own'),
      }),
    ];
  },
});
