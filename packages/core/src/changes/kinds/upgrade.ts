import { moveFault, upgradePath } from '../../images/versions.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { Between, ChangeKind, Known } from '../change.ts';
import { Steps } from '../lanes.ts';

/**
 * The control plane first, one after the other, when etcd has been backed up; then the workers, one after the other. Each is drained, started
 * from the kit of the new release, keeps what is on its disks, and takes pods again when it is ready.
 */
function upgradeSteps(b: Between, known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const nodes = b.behind.map((x) => x.node);
  let last = s.whole('backup', 'backup', 'back up etcd', [s.begin()]);
  const take = (role: 'control-plane' | 'worker') => {
    for (const n of nodes.filter((x) => x.role === role)) {
      const { host } = n;
      const drained = s.add(`${host}/drain`, host, 'drain', 'drain', [last], { host });
      last = s.add(`${host}/join`, host, role, 'join', [s.prepare(n, [drained])], { host });
    }
  };
  take('control-plane');
  if (nodes.some((n) => n.role === 'control-plane'))
    last = s.whole('pod-network', 'pod-network', 'pod network', [s.whole('quorum', 'quorum', 'quorum', [last])]);
  take('worker');
  s.whole('inbound', 'inbound', 'programs run', [last]);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

function refused(b: Between): string[] {
  const to = b.estate.releases.find((r) => r.name === b.plan.charter.release);
  const why: string[] = [];
  for (const name of [...new Set(b.behind.map((x) => x.release))]) {
    const from = b.estate.releases.find((r) => r.name === name);
    const fault = from && to && moveFault(from, to);
    if (!from) why.push(`release ${name}, which hosts have, is not declared any more`);
    if (!fault || !to) continue;
    const way = upgradePath(from, to, b.estate.releases)?.map((r) => r.name);
    why.push(
      fault === 'down'
        ? `${to.name} is older than ${name}, which hosts have`
        : `there is no step from ${name} to ${to.name}${way && way.length > 1 ? `: set ${way[0]} first, then ${way.slice(1).join(', ')}` : ''}`,
    );
  }
  if (b.joins.length || b.leaves.length)
    why.push('hosts come or go as well: do that first, with the release as it was, or afterwards');
  const guests = b.behind.filter((x) => x.node.guest).map((x) => x.node.host);
  if (guests.length)
    why.push(
      `${counted(guests.length, 'guest')} (${guests.slice(0, 3).join(', ')}) ${guests.length > 1 ? 'keep' : 'keeps'} the system of the mould: replace ${guests.length > 1 ? 'them' : 'it'} by new ones`,
    );
  return why;
}

/** From the release that hosts have to the one that the charter names. */
export const upgrade: ChangeKind = {
  kind: 'upgrade',
  label: 'Upgrade',
  due: (b) => b.behind.length > 0,
  installs: (b) => b.behind.map((x) => x.node),
  title: (b) => `Upgrade ${b.plan.charter.name} to ${b.plan.charter.release}`,
  steps: upgradeSteps,
  refused,
  away: (b) => {
    const members = b.plan.nodes.filter((n) => n.role === 'control-plane').length;
    const api = members > 1 ? '' : '; the API itself, while its only host is started anew';
    return `nothing with two copies of it; what has one copy is away each time that its host is drained${api}`;
  },
  point: (_, steps) => {
    const first = steps.find((s) => s.kind === 'control-plane');
    return (
      first && {
        step: first.id,
        text: `the API of ${first.host} writes as the new release does; the way back is the backup of etcd`,
      }
    );
  },
};
