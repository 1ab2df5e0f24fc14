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
  'files',
  'leave',
  'off',
  'release',
  'gone',
  'forget',
  'free',
  'proof',
  'read',
  'firmware',
  'wipe',
  'remove',
  'rest',
  'pack',
  'land',
  'move',
  'judge',
  'set-up',
  'holds',
  'copy',
  'trial',
  'keep',
  'halt',
  'restore',
  'revive',
  'silent',
  'ahead',
  'bring',
  'changed',
  'between',
  'whole',
  'lose',
  'return',
  'on',
  'answers',
]);
export type StepKind = z.infer<typeof StepKind>;
/** What steps use together, and how many may at once where nobody sets it otherwise. `builds` are changes to clusters of one site. */
export const usualLimits = { builds: 8, controllers: 16, firmware: 4, hypervisor: 2, registry: 8 } as const;
export const Limit = z.enum(['builds', 'controllers', 'firmware', 'hypervisor', 'registry']);
export type Limit = z.infer<typeof Limit>;
const Room = z.number().int().min(1).max(1000).optional();
/** How much may happen at once at a site; what is not set is as usual. */
export const Limits = z.strictObject({ builds: Room, controllers: Room, firmware: Room, hypervisor: Room, registry: Room });
export type Limits = z.infer<typeof Limits>;
/** What a step uses together with others: the controllers of a site, a hypervisor, a registry; and how many may use it at once. */
export const Share = z.strictObject({ limit: Limit, of: z.string(), room: z.number().int() });
export type Share = z.infer<typeof Share>;
/** Tells what is shared from everything else that is. */
export const shareKey = (s: Share): string => `${s.limit} ${s.of}`;

/** A unit of long work. Durations in seconds; `after` names the steps that must have succeeded. */
export const Step = z.strictObject({
  id: z.string(),
  lane: z.string(),
  shares: Share.optional(),
  kind: StepKind,
  title: z.string(),
  host: z.string().optional(),
  after: z.array(z.string()),
  p50: z.number(),
  p90: z.number(),
  /** How much of its spread it has in common with the other steps of a run: the standard deviation of the logarithm. */
  common: z.number().optional(),
  /** What it is estimated by: the model of its machine, and how much it has to do. */
  model: z.string().optional(),
  size: z.number().optional(),
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
  files: [40, 120],
  leave: [30, 90],
  off: [20, 60],
  release: [2, 10],
  gone: [20, 60],
  forget: [2, 10],
  free: [2, 10],
  proof: [30, 60],
  read: [5, 20],
  firmware: [600, 1800],
  wipe: [900, 7200],
  remove: [20, 60],
  rest: [1, 5],
  pack: [300, 3600],
  land: [300, 3600],
  move: [600, 7200],
  judge: [3, 10],
  'set-up': [5, 20],
  holds: [10, 60],
  copy: [120, 3600],
  trial: [120, 3600],
  halt: [40, 600],
  restore: [120, 3600],
  revive: [40, 600],
  silent: [5, 20],
  ahead: [600, 7200],
  bring: [5, 20],
  changed: [1800, 5400],
  between: [0, 0],
  whole: [5, 20],
  lose: [420, 900],
  return: [180, 600],
  on: [5, 30],
  answers: [60, 600],
  keep: [5, 60],
};

/**
 * Kinds that can be skipped, for a reason that is put down: what they would have seen to is then held to be so. The others leave behind what later
 * steps stand on, or are decided in another way.
 */
export const skippable: ReadonlySet<StepKind> = new Set([
  'preflight',
  'names',
  'images',
  'pod-network',
  'inbound',
  'release',
  'wipe',
]);

/** The step of a kind that works on a host. Steps are found by what they are: their ids are names, and are not taken apart. */
export const stepOf = (steps: readonly Step[], kind: StepKind, host: string | undefined): Step | undefined =>
  steps.find((s) => s.kind === kind && s.host === host);
