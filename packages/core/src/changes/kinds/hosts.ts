import type { Known } from '../../schedule/estimate.ts';
import { counted } from '../../words/amounts.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import type { Step } from '../../schedule/steps.ts';
import type { Between, ChangeKind, Leaving, Requested } from '../change.ts';
import { Steps } from '../lanes.ts';
import { groupsOf, roomLeft, workersAtOnce } from '../side-by-side.ts';

/** Not while hosts have another release: that goes first. */
const stands = (b: Between) => b.stays.length > 0 && !b.behind.length;
const few = (names: readonly string[]) => (names.length > 2 ? counted(names.length, 'host') : names.join(' and '));
const joining = (b: Between) => few(b.joins.map((n) => n.host));
const leaving = (b: Between) => few(b.leaves.map((l) => l.host));

const isMember = (n: { role: string }) => n.role === 'control-plane';
const isWorker = (n: { role: string }) => n.role === 'worker';

/** Whose place somebody takes, with the address. */
export const placeOf = (b: Between, n: PlannedNode): Leaving | undefined =>
  b.leaves.find((l) => l.address !== undefined && l.address === n.address && l.role === n.role);

/**
 * Those who come are prepared side by side. The control plane goes first, one member after the other, when etcd has been backed up: who
 * leaves is out of etcd before the next one joins, except where it would be the last. Of the workers those who come join; then those who go
 * are drained, as many at once as may be away, when there is room for what ran on them. Who takes the address of another is installed when that one has left.
 */
function moveSteps(b: Between, known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const names = s.begin();
  const takes = new Map(b.joins.flatMap((n) => (placeOf(b, n) ? [[placeOf(b, n)?.host ?? '', n] as const] : [])));
  const later = new Set([...takes.values()].map((n) => n.host));
  const prepared = new Map(b.joins.filter((n) => !later.has(n.host)).map((n) => [n.host, s.prepare(n, [names])]));
  let before = memberSteps(b, s, names, prepared, takes);
  const join = (n: PlannedNode, after: readonly string[]) =>
    s.add(`${n.host}/join`, n.host, 'worker', 'join', after, { host: n.host });
  const joined = b.joins
    .filter((n) => isWorker(n) && !later.has(n.host))
    .map((n) => join(n, [prepared.get(n.host) ?? names, ...before]));
  if (joined.length) before = joined;
  for (const group of groupsOf(b.leaves.filter(isWorker), workersAtOnce(b).most)) {
    const after = before.length ? before : [names];
    before = group.map((l) => {
      const left = s.leave(l, after);
      const comes = takes.get(l.host);
      return comes ? join(comes, [s.prepare(comes, [left])]) : left;
    });
  }
  // The address has another name by now.
  if (takes.size) before = [s.add('names-after', 'estate', 'names', 'send the records of those who came', before)];
  s.whole('inbound', 'inbound', 'programs run', before.length ? before : [names]);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

/** @returns the steps that the workers wait for: none where the control plane stays as it is */
function memberSteps(
  b: Between,
  s: Steps,
  names: string,
  prepared: ReadonlyMap<string, string>,
  takes: ReadonlyMap<string, PlannedNode>,
): string[] {
  const joins = b.joins.filter(isMember);
  const leaves = b.leaves.filter(isMember);
  if (!joins.length && !leaves.length) return [];
  let last = s.whole('backup', 'backup', 'back up etcd', [names]);
  const join = (host: string, ready: string | undefined) => {
    last = s.add(`${host}/join`, host, 'control-plane', 'join etcd', [ready ?? names, last], { host });
  };
  // Who takes the address of another stands beside it.
  const free = joins.filter((n) => ![...takes.values()].includes(n));
  const pairs = leaves.map((goes) => [takes.get(goes.host) ?? free.shift(), goes] as const);
  const alone = !b.stays.some(isMember);
  for (const [comes, goes] of [...pairs, ...free.map((n) => [n, undefined] as const)]) {
    const kept = goes && comes && takes.get(goes.host) === comes;
    if (alone && comes && !kept) join(comes.host, prepared.get(comes.host));
    // It leaves when the one that takes its place is ready to join.
    if (goes) last = s.leave(goes, [last, ...(comes && !alone && !kept ? [prepared.get(comes.host) ?? names] : [])]);
    if (comes && kept) join(comes.host, s.prepare(comes, [last]));
    else if (!alone && comes) join(comes.host, prepared.get(comes.host));
  }
  const quorum = s.whole('quorum', 'quorum', 'quorum', [last]);
  return [joins.length ? s.whole('pod-network', 'pod-network', 'pod network', [quorum]) : quorum];
}

/** An only member cannot leave before the one that is to have its address has joined. */
function onlyMember(b: Between): string[] {
  if (b.stays.some(isMember)) return [];
  const takes = b.joins.find((n) => isMember(n) && placeOf(b, n));
  return takes
    ? [
        `${placeOf(b, takes)?.host} is the only member of the control plane: ${takes.host} must join before it leaves, with an address of its own`,
      ]
    : [];
}

const gone: ChangeKind['point'] = (_, steps) => {
  const first = steps.find((s) => s.kind === 'member' || s.kind === 'leave');
  return first && { step: first.id, text: `${first.host} has left; to have it back it is installed anew` };
};
const drained = (b: Between) =>
  `nothing with two copies of it; what has one copy on ${leaving(b)} is started again elsewhere, and is away for that time`;

/** What is left must hold what runs: a drain would never end otherwise. */
function tooFew(b: Between): string[] {
  const { requested } = b.installed;
  if (!requested) return [];
  const left = roomLeft(b);
  const short = (['cores', 'memoryGiB', 'pods'] as const).filter((of) => left[of] < requested[of]);
  const unit = { cores: 'cores', memoryGiB: 'GiB', pods: 'pods' };
  const amount = (of: keyof Requested, n: number) => `${Math.round(n * 10) / 10} ${unit[of]}`;
  return short.map(
    (of) =>
      `what runs needs ${amount(of, requested[of])}, and ${amount(of, left[of])} would be left: scale it down first, or keep more hosts`,
  );
}

export const addHosts: ChangeKind = {
  kind: 'add-hosts',
  label: 'Add hosts',
  due: (b) => stands(b) && b.joins.length > 0 && !b.leaves.length,
  title: (b) => `Add ${joining(b)} to ${b.plan.charter.name}`,
  steps: moveSteps,
  away: () => 'nothing: what runs stays where it is',
};
export const removeHosts: ChangeKind = {
  kind: 'remove-hosts',
  label: 'Remove hosts',
  due: (b) => stands(b) && !b.joins.length && b.leaves.length > 0,
  title: (b) => `Remove ${leaving(b)} from ${b.plan.charter.name}`,
  steps: moveSteps,
  refused: tooFew,
  away: drained,
  point: gone,
};
export const replaceHosts: ChangeKind = {
  kind: 'replace-hosts',
  label: 'Replace hosts',
  due: (b) => stands(b) && b.joins.length > 0 && b.leaves.length > 0,
  title: (b) => `Replace ${leaving(b)} of ${b.plan.charter.name} by ${joining(b)}`,
  steps: moveSteps,
  refused: (b) => [...tooFew(b), ...onlyMember(b)],
  away: drained,
  point: gone,
};
