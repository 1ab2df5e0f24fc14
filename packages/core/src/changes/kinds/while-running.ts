import type { Known } from '../../schedule/estimate.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import { hasServerAccount } from '../../charter/server-account.ts';
import type { Step } from '../../schedule/steps.ts';
import type { Between, ChangeKind } from '../change.ts';
import { Steps } from '../lanes.ts';
import { awayInPlace, guestsLose, inPlaceRows, inPlaceSteps } from './in-place.ts';

/**
 * Whether new certificates come to these hosts while they run: each was installed with the account of the server, the plan still has it, and nothing else of a host's
 * files is otherwise by now, which a restart alone would put in force.
 */
const running = (b: Between, nodes: readonly PlannedNode[]): boolean =>
  hasServerAccount(b.plan.charter) && nodes.every((n) => b.installed.accounts.has(n.host) && !b.installed.files.has(n.host));

/** The control plane one after the other, when etcd has been backed up; then the workers: one, and when it is well the others. Nobody is drained. */
function runningSteps(b: Between, nodes: readonly PlannedNode[], known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const begun = s.begin();
  const put = ({ host }: PlannedNode, after: readonly string[]) =>
    s.add(`${host}/files`, host, 'files', 'files', after, { host });
  const members = nodes.filter((n) => n.role === 'control-plane');
  const [first, ...others] = nodes.filter((n) => n.role === 'worker');
  let last = members.length ? s.whole('backup', 'backup', 'back up etcd', [begun]) : begun;
  for (const n of members) last = put(n, [last]);
  if (members.length) last = s.whole('quorum', 'quorum', 'quorum', [last]);
  if (first) last = put(first, [last]);
  const all = others.map((n) => put(n, [last]));
  s.whole('inbound', 'inbound', 'programs run', all.length ? all : [last]);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

function awayRunning(b: Between): string {
  const members = b.plan.nodes.filter((n) => n.role === 'control-plane').length;
  return members > 1
    ? 'nothing: pods run on; API server and etcd are restarted on one host after the other'
    : 'the API, while its only server is restarted; pods run on';
}

/** How what follows new certificates alone is carried out: on hosts that run, or by starting them anew where that is not open. */
export const reissued = {
  steps: (b, known) => (running(b, b.stays) ? runningSteps(b, b.stays, known) : inPlaceSteps(b, b.stays, known)),
  refused: (b) => (running(b, b.stays) ? [] : guestsLose(b, b.stays)),
  away: (b) => (running(b, b.stays) ? awayRunning(b) : awayInPlace(b, b.stays)),
} satisfies Partial<ChangeKind>;

/** What becomes of each host, in words. */
export const howReissued = (b: Between): string =>
  running(b, b.stays)
    ? 'put on each host over SSH while it runs: its kubelet, API server and etcd are restarted, the host is not'
    : 'each host is started anew, drained; what is on its disks stays';

/** Rows that only a change has which starts hosts anew. */
export const reissuedRows = (b: Between) => (running(b, b.stays) ? [] : inPlaceRows(b, b.stays));
