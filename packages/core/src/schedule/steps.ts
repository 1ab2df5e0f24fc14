import { z } from 'zod';

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
  'backup',
  'drain',
  'member',
  'leave',
  'off',
  'release',
  'gone',
  'forget',
  'proof',
]);
export type StepKind = z.infer<typeof StepKind>;
/** A unit of work of a change to a cluster. Durations in seconds; `after` names the steps that must have succeeded. */
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
  backup: [20, 120],
  drain: [90, 600],
  member: [10, 60],
  leave: [30, 90],
  off: [20, 60],
  release: [2, 10],
  gone: [20, 60],
  forget: [2, 10],
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
