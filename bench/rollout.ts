import { resolve } from '@praesidor/core/charter';
import { type Charter, kinds, type Template, templateOf, withVersionKept } from '@praesidor/core/model';
import { RolloutAsked, rolloutOf, wavesOf } from '@praesidor/core/rollout';
import { asEstate, largeEstate } from '../demo/large/estate.ts';
import { quietest, row, timed } from './measure.ts';

/** Planning a roll-out over two hundred clusters that stand: waves, changes, and how long they take. */
export async function rollout(): Promise<void> {
  const e = asEstate(largeEstate({ hosts: 10_000, sites: 300 }));
  const base = e.charters[0] as Charter;
  const first: Template = { ...templateOf(base, e), name: 'edge' };
  const older = e.releases.find((r) => r.name !== base.release)?.name ?? base.release;
  const template = withVersionKept(first, { ...first, charter: { ...first.charter, timers: { tolerate: 60 } } } as Template);
  const charters = e.charters.slice(0, 200).map((c) =>
    kinds.Charter.parse({
      ...c,
      template: {
        name: 'edge',
        version: 1,
        answers: [
          { question: 'site', answer: c.site },
          { question: 'name', answer: c.name },
          { question: 'control-plane', answer: String(c.controlPlane.count) },
          { question: 'workers', answer: String(c.workers.count) },
          { question: 'network', answer: c.machineNetwork },
          { question: 'mirror', answer: c.mirror },
          { question: 'pods', answer: c.pods.range },
          { question: 'services', answer: c.services.range },
        ],
      },
    }),
  ) as Charter[];
  const names = new Set(charters.map((c) => c.name));
  // All of them stand, with the release before.
  const of = new Map(
    charters.flatMap((c) => resolve(c, e).nodes.map((n) => [n.host, { charter: c.name, role: n.role }] as const)),
  );
  const hosts = e.hosts.map((h) => {
    const held = of.get(h.name);
    return held ? { ...h, state: 'serving' as const, held: { ...held, release: older } } : h;
  });
  const estate = { ...e, hosts, charters: [...charters, ...e.charters.slice(200)], templates: [template] };
  const asked = RolloutAsked.parse({ version: 2, waves: wavesOf([...names], 1, 20), atOnce: 4 });
  let clusters = 0;
  let changes = 0;
  // A new estate each time, so that nothing is known from the time before.
  const { value } = await quietest(
    async () =>
      timed(() => {
        const plan = rolloutOf(template, { ...estate }, asked);
        clusters = plan.rows.filter((r) => !r.fault).length;
        changes = plan.rows.filter((r) => r.change).length;
      }, 3),
    5,
  );
  row(
    `roll-out over ${clusters} clusters planned, ${changes} of which change, of 10,000 hosts`,
    `${Math.round(value)} ms`,
    '≤ 1000 ms',
    clusters === 200 && value <= 1000,
  );
}
