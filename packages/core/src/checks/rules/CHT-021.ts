import { poolsOf } from '../../charter/pools.ts';
import { at, each, setTo } from '../check.ts';

export const CHT021 = each('Charter', {
  code: 'CHT-021',
  severity: 'stop',
  about: 'a host that a charter names is not there, stands elsewhere, or is named twice',
  find: (d, view) => {
    const first = new Map<string, string>();
    return poolsOf(d).flatMap((pool) =>
      pool.hosts.flatMap((name, i) => {
        const h = view.get('Host', name);
        const before = first.get(name);
        first.set(name, before ?? pool.name);
        const why = !h
          ? 'no such host is listed'
          : h.site !== d.site
            ? `it stands at ${h.site}`
            : before === pool.name
              ? 'it is named twice'
              : before
                ? `it is named for ${before === 'control-plane' ? 'the control plane' : before} too`
                : undefined;
        return why
          ? [
              at(d, [...pool.path, 'hosts', i], {
                title: `${name} cannot be ${pool.role === 'worker' ? 'a worker' : 'in the control plane'} of ${d.name}`,
                text: `The charter names it, and ${why}.`,
                remedy: setTo(
                  d,
                  [...pool.path, 'hosts'],
                  pool.hosts.filter((_, k) => k !== i),
                  `Take ${name} out`,
                ),
              }),
            ]
          : [];
      }),
    );
  },
});
