import { counted } from '../../words/amounts.ts';
import type { Step } from '../../schedule/steps.ts';
import type { Between, ChangeKind, Known } from '../change.ts';
import { Steps } from '../lanes.ts';

const stands = (b: Between) => b.stays.length > 0;
const few = (names: readonly string[]) => (names.length > 2 ? counted(names.length, 'host') : names.join(' and '));
const joining = (b: Between) => few(b.joins.map((n) => n.host));
const leaving = (b: Between) => few(b.leaves.map((l) => l.host));

/**
 * Those who come are prepared side by side and join; those who go are drained one after the other, when the new ones are there to take
 * what ran on them.
 */
function moveSteps(b: Between, known: Known): Step[] {
  const s = new Steps(b.plan, known);
  const names = s.begin();
  const joined = b.joins.map((n) => s.add(`${n.host}/join`, n.host, 'worker', 'join', [s.prepare(n, [names])], { host: n.host }));
  let before = joined.length ? joined : [names];
  for (const l of b.leaves) before = [s.leave(l, before)];
  s.whole('inbound', 'inbound', 'programs run', before);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

/** Members of etcd are no matter of joining and leaving alone. */
const members = (b: Between): string[] => {
  const found = [...b.joins, ...b.leaves].filter((n) => n.role === 'control-plane').map((n) => n.host);
  return found.length
    ? [
        `${few(found)} ${found.length > 1 ? 'are' : 'is'} of the control plane, whose members this version changes only by building anew`,
      ]
    : [];
};
const gone: ChangeKind['point'] = (_, steps) => {
  const first = steps.find((s) => s.kind === 'leave');
  return first && { step: first.id, text: `${first.host} has left; to have it back it is installed anew` };
};
const drained = (b: Between) =>
  `nothing with two copies of it; what has one copy on ${leaving(b)} is started again elsewhere, and is away for that time`;

export const addHosts: ChangeKind = {
  kind: 'add-hosts',
  label: 'Add hosts',
  due: (b) => stands(b) && b.joins.length > 0 && !b.leaves.length,
  title: (b) => `Add ${joining(b)} to ${b.plan.charter.name}`,
  steps: moveSteps,
  refused: members,
  away: () => 'nothing: what runs stays where it is',
};
export const removeHosts: ChangeKind = {
  kind: 'remove-hosts',
  label: 'Remove hosts',
  due: (b) => stands(b) && !b.joins.length && b.leaves.length > 0,
  title: (b) => `Remove ${leaving(b)} from ${b.plan.charter.name}`,
  steps: moveSteps,
  refused: members,
  away: drained,
  point: gone,
};
export const replaceHosts: ChangeKind = {
  kind: 'replace-hosts',
  label: 'Replace hosts',
  due: (b) => stands(b) && b.joins.length > 0 && b.leaves.length > 0,
  title: (b) => `Replace ${leaving(b)} of ${b.plan.charter.name} by ${joining(b)}`,
  steps: moveSteps,
  refused: members,
  away: drained,
  point: gone,
};
