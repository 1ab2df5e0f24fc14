import { type Known, nothingKnown } from '../../schedule/estimate.ts';
import type { Plan } from '../../charter/plan.ts';
import type { Limiting } from '../../schedule/limits.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { ChangeKind } from '../change.ts';
import { Steps } from '../lanes.ts';

/** The steps of a build in their order: estate first, then each host's lane, then the cluster as a whole. */
export function buildSteps(plan: Plan, estate: Limiting, known: Known = nothingKnown): Step[] {
  const s = new Steps(plan, known, estate);
  const names = s.begin();
  const cp = plan.nodes.filter((n) => n.role === 'control-plane');
  const workers = plan.nodes.filter((n) => n.role === 'worker');
  for (const n of [...cp, ...workers]) s.prepare(n, [names]);
  for (const [i, { host }] of cp.entries())
    s.add(
      `${host}/join`,
      host,
      'control-plane',
      i ? 'join etcd' : 'first etcd',
      [`${host}/images`, ...(i ? ['api', `${cp[i - 1]?.host}/join`] : [])],
      { host },
    );
  const first = cp[0];
  if (first) s.whole('api', 'api', 'API answers', [`${first.host}/join`]);
  s.whole('quorum', 'quorum', 'quorum', ['api', ...cp.map((n) => `${n.host}/join`)]);
  s.whole('pod-network', 'pod-network', 'pod network', ['quorum']);
  for (const { host } of workers) s.add(`${host}/join`, host, 'worker', 'join', [`${host}/images`, 'pod-network'], { host });
  s.whole('inbound', 'inbound', 'inbound', ['pod-network', ...workers.map((n) => `${n.host}/join`)]);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

/** A cluster that does not stand yet. */
export const build: ChangeKind = {
  kind: 'build',
  label: 'Build',
  due: (b) => !b.installed.elsewhere && !b.stays.length && !b.leaves.length,
  title: (b) => `Build ${b.plan.charter.name}`,
  steps: (b, known) => buildSteps(b.plan, b.estate, known),
  refused: (b) => {
    const full = b.joins.filter((n) => b.keeps.some((k) => k.host === n.host)).map((n) => n.host);
    return full.length
      ? [
          `what the cluster before left lies on the drives of ${full.length > 3 ? counted(full.length, 'host') : full.join(', ')}: give its hosts back first`,
        ]
      : [];
  },
  away: () => 'nothing: nobody uses it yet',
};
