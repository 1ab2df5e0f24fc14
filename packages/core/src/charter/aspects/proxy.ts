import { rangesOf } from '../families.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { references } from './references.ts';

/** What nodes reach through a proxy, and what they ask directly: themselves, the cluster, the networks and names of the site, the mirror. */
export const proxy = aspect<Pick<Plan, 'proxy'>>({
  name: 'proxy',
  compute: ({ charter, view, need }) => {
    if (!charter.proxy) return {};
    const { site, mirror } = need(references);
    const except = [
      'localhost',
      '127.0.0.1',
      '::1',
      '.svc',
      '.cluster.local',
      ...rangesOf(charter).map((r) => r.range),
      ...view.by('Network', 'site', charter.site).map((n) => n.prefix),
      ...(site ? [`.${site.domain}`] : []),
      ...(mirror ? [mirror.endpoint.replace(/:\d+$/, '')] : []),
      ...(charter.proxy.except ?? []),
    ];
    return { proxy: { url: charter.proxy.url, except: [...new Set(except)] } };
  },
  lines: ({ proxy: p }) =>
    p
      ? [
          {
            id: 'proxy',
            section: 3,
            label: 'Proxy',
            text: `${p.url}, not for ${p.except.length} names and ranges`,
            why: [
              because('proxy for images', {}, ['proxy', 'url']),
              because('asked directly', { except: p.except.join(', ') }, ['proxy', 'except']),
            ],
            mono: true,
          },
        ]
      : [],
});
