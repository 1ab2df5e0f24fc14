import { at, each, setTo } from '../check.ts';

export const CHT021 = each('Charter', {
  code: 'CHT-021',
  severity: 'stop',
  about: 'a host that a charter names is not there, stands elsewhere, or is named twice',
  find: (d, view) => {
    const twice = new Set(d.controlPlane.hosts ?? []);
    return (['controlPlane', 'workers'] as const).flatMap((role) => {
      const named = d[role].hosts ?? [];
      return named.flatMap((name, i) => {
        const h = view.get('Host', name);
        const why = !h
          ? 'no such host is listed'
          : h.site !== d.site
            ? `it stands at ${h.site}`
            : role === 'workers' && twice.has(name)
              ? 'it is named for the control plane too'
              : named.indexOf(name) !== i
                ? 'it is named twice'
                : undefined;
        return why
          ? [
              at(d, [role, 'hosts', i], {
                title: `${name} cannot be ${role === 'workers' ? 'a worker' : 'in the control plane'} of ${d.name}`,
                text: `The charter names it, and ${why}.`,
                remedy: setTo(
                  d,
                  [role, 'hosts'],
                  named.filter((_, k) => k !== i),
                  `Take ${name} out`,
                ),
              }),
            ]
          : [];
      });
    });
  },
});
