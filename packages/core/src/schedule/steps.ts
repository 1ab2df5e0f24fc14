import { z } from 'zod';
import type { Plan } from '../charter/plan.ts';

export const StepKind = z.enum([
  'preflight',
  'names',
  'cast',
  'power',
  'system',
  'images',
  'control-plane',
  'api',
  'quorum',
  'pod-network',
  'worker',
  'inbound',
  'proof',
]);
export type StepKind = z.infer<typeof StepKind>;
/** A unit of work of a build. Durations in seconds; `after` names the steps that must have succeeded. */
export const Step = z.strictObject({
  id: z.string(),
  lane: z.string(),
  /** What it uses together with others, of which only so many may at once: `hypervisor bw-hv1`. */
  shares: z.string().optional(),
  kind: StepKind,
  title: z.string(),
  host: z.string().optional(),
  after: z.array(z.string()),
  p50: z.number(),
  p90: z.number(),
});
export type Step = z.infer<typeof Step>;

/** How long a kind takes before this installation has builds of its own to go by: median and 90 % in seconds. */
export const usual: Record<StepKind, [number, number]> = {
  preflight: [10, 30],
  names: [5, 15],
  cast: [40, 120],
  power: [60, 180],
  system: [540, 900],
  images: [480, 900],
  'control-plane': [120, 240],
  api: [30, 90],
  quorum: [30, 90],
  'pod-network': [90, 180],
  worker: [120, 240],
  inbound: [60, 150],
  proof: [30, 60],
};

/** Steps that may run at once at one thing that they share; the time line reckons with the same. */
export const atOnce = { hypervisor: 2, controllers: 16, registry: 8 } as const;
/** How many steps may use a shared thing at once; what nobody shares, any number. */
export const limitOf = (shares: string | undefined): number =>
  atOnce[shares?.split(' ')[0] as keyof typeof atOnce] ?? Number.POSITIVE_INFINITY;

/** The step of a kind that works on a host. Steps are found by what they are: their ids are names, and are not taken apart. */
export const stepOf = (steps: readonly Step[], kind: StepKind, host: string | undefined): Step | undefined =>
  steps.find((s) => s.kind === kind && s.host === host);

/** The steps of a build in their order: estate first, then each host's lane, then the cluster as a whole. */
export function stepsOf(plan: Plan, known: Partial<Record<StepKind, [number, number]>> = {}): Step[] {
  const steps: Step[] = [];
  const add = (id: string, lane: string, kind: StepKind, title: string, after: string[], host?: string, shares?: string) => {
    const [p50, p90] = known[kind] ?? usual[kind];
    steps.push({ id, lane, kind, title, after, p50, p90, ...(host ? { host } : {}), ...(shares ? { shares } : {}) });
  };
  add('preflight', 'estate', 'preflight', 'measure what the build needs', []);
  add('names', 'estate', 'names', 'send and read back the records', ['preflight']);
  const site = `controllers ${plan.charter.site}`;
  const cp = plan.nodes.filter((n) => n.role === 'control-plane');
  const workers = plan.nodes.filter((n) => n.role === 'worker');
  for (const n of [...cp, ...workers]) {
    if (n.guest) add(`${n.host}/cast`, n.host, 'cast', 'cast', ['names'], n.host, `hypervisor ${n.guest.hypervisor}`);
    add(`${n.host}/power`, n.host, 'power', 'power', [n.guest ? `${n.host}/cast` : 'names'], n.host, n.guest ? undefined : site);
    add(`${n.host}/system`, n.host, 'system', 'system', [`${n.host}/power`], n.host);
    add(`${n.host}/images`, n.host, 'images', 'images', [`${n.host}/system`], n.host, `registry ${plan.charter.mirror}`);
  }
  for (const [i, n] of cp.entries())
    add(
      `${n.host}/join`,
      n.host,
      'control-plane',
      i ? 'join etcd' : 'first etcd',
      [`${n.host}/images`, ...(i ? ['api', `${cp[i - 1]?.host}/join`] : [])],
      n.host,
    );
  const first = cp[0];
  if (first) add('api', plan.charter.name, 'api', 'API answers', [`${first.host}/join`]);
  add('quorum', plan.charter.name, 'quorum', 'quorum', ['api', ...cp.map((n) => `${n.host}/join`)]);
  add('pod-network', plan.charter.name, 'pod-network', 'pod network', ['quorum']);
  for (const n of workers) add(`${n.host}/join`, n.host, 'worker', 'join', [`${n.host}/images`, 'pod-network'], n.host);
  add('inbound', plan.charter.name, 'inbound', 'inbound', ['pod-network', ...workers.map((n) => `${n.host}/join`)]);
  add('proof', plan.charter.name, 'proof', 'proof', ['inbound']);
  return steps;
}
