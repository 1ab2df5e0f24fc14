import { disksOf } from '../disks.ts';
import { counted } from '../../words/amounts.ts';
import { type Chosen, place } from '../placement.ts';
import type { Computed, Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';

export const placement = aspect<Pick<Plan, 'notChosen'> & { chosen: Chosen[] }>({
  name: 'placement',
  compute: ({ charter, view }) => {
    const { chosen, notChosen, short } = place(charter, view);
    return {
      chosen,
      notChosen,
      problems: short.map((s) => ({
        about: s.role === 'worker' ? 'workers' : 'control-plane',
        path: s.path,
        text: `${s.found} of ${s.wanted} hosts found`,
        wanted: s.wanted,
        found: s.found,
      })),
    };
  },
  lines: (plan) => [
    ...(['control-plane', 'worker'] as const).map((role) => {
      const of = plan.nodes.filter((n) => n.role === role);
      return {
        id: role,
        section: 2 as const,
        label: role === 'worker' ? 'Workers' : 'Control plane',
        text: of.map((n) => `${n.host} ${n.zone}`).join(' · ') || 'no host yet',
        why: of.map((n) =>
          because('host chosen', { host: n.host, why: n.why }, [role === 'worker' ? 'workers' : 'controlPlane', 'count']),
        ),
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
