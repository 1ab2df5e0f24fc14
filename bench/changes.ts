import { changeDue } from '@praesidor/core/changes';
import { type PlannedNode, resolve } from '@praesidor/core/charter';
import type { Estate, Host } from '@praesidor/core/model';
import { type RunEvent, fold, newRun, stateAfter } from '@praesidor/core/schedule';
import { demoEstate } from './demo-estate.ts';
import { row, timed } from './measure.ts';

const hosts = 300;
const events = 20_000;

/** Changes of a large cluster: how long it takes to plan one, and to know how one stands. */
export async function changes() {
  const demo = demoEstate();
  const charter = demo.charters.find((c) => c.name === 'tern');
  if (!charter) throw new Error('the demonstration has no charter tern');
  const small = resolve(charter, demo);
  const worker = small.nodes.find((n) => n.role === 'worker') as PlannedNode;
  // Three members, and workers beyond the cluster's own.
  const nodes = Array.from({ length: hosts }, (_, k) => ({
    ...(small.nodes[k] ?? worker),
    host: `h-${String(k).padStart(3, '0')}`,
  }));
  const plan = { ...small, nodes };
  const estate: Estate = {
    ...demo,
    hosts: nodes.map(
      (n) =>
        ({
          kind: 'Host',
          name: n.host,
          site: charter.site,
          state: 'serving',
          held: { charter: charter.name, role: n.role, release: '1.33.6', installed: 'build 1' },
          facts: n.facts,
        }) as unknown as Host,
    ),
  };
  const due = changeDue(plan, estate);
  const ms = timed(() => void changeDue(plan, estate), 5);
  row(
    `plan of an upgrade, ${hosts} hosts`,
    `${ms.toFixed(0)} ms, ${due?.steps.length} steps`,
    '≤ 200 ms',
    due?.kind === 'upgrade' && ms <= 200,
  );

  const steps = due?.steps ?? [];
  const told: RunEvent[] = [{ at: '2026-11-23T09:00:00Z', kind: 'begun' }];
  for (let n = 0; told.length < events; n++) {
    const step = steps[Math.floor(n / 8) % steps.length]?.id as string;
    const at = new Date(Date.UTC(2026, 10, 23, 9, 0, n)).toISOString();
    if (n % 8 === 0) told.push({ at, kind: 'started', step });
    else if (n % 8 === 7) told.push({ at, kind: 'succeeded', step, text: 'done' });
    else told.push({ at, kind: 'progress', step, done: n % 8, of: 7 });
  }
  const folded = timed(() => void stateAfter(steps, told), 5);
  const oneByOne = timed(() => void told.reduce(fold, newRun(steps)), 1);
  row(
    `state of a change after ${told.length} events, without reading them`,
    `${folded.toFixed(1)} ms; copied at each ${oneByOne.toFixed(0)} ms`,
    '≤ 20 ms',
    folded <= 20,
  );
}
