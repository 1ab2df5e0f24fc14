import { disksOf } from '../disks.ts';
import { counted } from '../../words/amounts.ts';
import { type Chosen, place } from '../placement.ts';
import type { Computed, Plan } from '../plan.ts';
import { firstPool, poolsOf } from '../pools.ts';
import { aspect, because } from './aspect.ts';

export const placement = aspect<Pick<Plan, 'notChosen' | 'spread'> & { chosen: Chosen[] }>({
  name: 'placement',
  compute: ({ charter, view }) => {
    const { chosen, notChosen, short, spread } = place(charter, view);
    return {
      chosen,
      notChosen,
      spread,
      problems: short.map((s) => ({
        about: s.role === 'worker' ? 'workers' : 'control-plane',
        path: s.path,
        named: s.pool,
        text: `${s.found} of ${s.wanted} hosts found`,
        wanted: s.wanted,
        found: s.found,
      })),
    };
  },
  lines: (plan) => [
    ...poolsOf(plan.charter).map((pool) => {
      const of = plan.nodes.filter((n) => n.pool === pool.name);
      const count = [...pool.path, 'count'];
      return {
        id: pool.role === 'control-plane' ? pool.role : pool.name === firstPool ? 'worker' : `pool ${pool.name}`,
        section: 2 as const,
        label: pool.role === 'control-plane' ? 'Control plane' : pool.name === firstPool ? 'Workers' : pool.name,
        text: of.map((n) => `${n.host} ${n.zone}`).join(' · ') || (pool.count ? 'no host yet' : 'none'),
        why: [
          ...of.map((n) => because('host chosen', { host: n.host, why: n.why }, count)),
          ...(pool.role === 'control-plane'
            ? plan.spread.filter((s) => s.atMost).map((s) => because('spread', { ...s }, count))
            : []),
        ],
        mono: true,
      };
    }),
    ...(plan.notChosen.length
      ? [
          {
            id: 'not-chosen',
            section: 2 as const,
            label: 'Not chosen',
            text: foldedReasons(plan.notChosen),
            why: plan.notChosen.map((n) => because('host not chosen', n)),
          },
        ]
      : []),
    ...disks(plan),
  ],
});

const useText = { system: 'the system', containers: 'containers', etcd: 'etcd' } as const;
/** Which disks are for what, hosts alike together. */
function disks({ nodes }: Computed) {
  const groups = new Map<string, string[]>();
  for (const n of nodes) {
    const uses = disksOf(n)
      .map((p) => `${useText[p.use]} on ${p.disk.bay}`)
      .join(', ');
    if (uses) groups.set(uses, [...(groups.get(uses) ?? []), n.host]);
  }
  if (!groups.size) return [];
  const why = nodes.map((n) => {
    const uses = disksOf(n).map((p) => `${p.disk.bay} (${p.disk.sizeGB} GB, ${p.why}) for ${useText[p.use]}`);
    return uses.length
      ? because('disks of a host', { host: n.host, uses: uses.join(', ') })
      : because('disk of a guest', { host: n.host });
  });
  const text = [...groups].map(([uses, hosts]) => `${groups.size > 1 ? `${hosts.join(' ')}: ` : ''}${uses}`).join('; ');
  return [{ id: 'disks', section: 2 as const, label: 'Disks', text, why }];
}

/** From so many on, hosts are told by their reason and number; each with its own stands in the why. */
const listsHosts = 7;
function foldedReasons(list: readonly { host: string; why: string }[]): string {
  if (list.length <= listsHosts) return list.map((n) => `${n.host}: ${n.why}`).join('; ');
  const byReason = new Map<string, string[]>();
  for (const n of list) byReason.set(n.why, [...(byReason.get(n.why) ?? []), n.host]);
  const groups = [...byReason].map(([why, hosts]) => `${hosts.length === 1 ? hosts[0] : counted(hosts.length, 'host')}: ${why}`);
  return `${groups.slice(0, listsHosts).join('; ')}${groups.length > listsHosts ? `; and ${groups.length - listsHosts} more reasons` : ''}`;
}
