import { z } from 'zod';
import { Label, Name } from './words.ts';

/** How the API keeps the pods of something (Kubernetes API, apps/v1). */
export const workloadKinds = ['Deployment', 'StatefulSet'] as const;

/** What is to run in a cluster, as far as it must be known to say what a loss does to it. */
export const Workload = z.strictObject({
  name: Label,
  namespace: Label.default('default'),
  /** A Deployment starts another pod at once; a StatefulSet not before the one before is known to have ended. */
  kind: z.enum(workloadKinds).default('Deployment'),
  replicas: z.number().int().min(1).max(500).default(1),
  /** What no two of its pods share, where that can be had; `always`: a pod waits rather than share it. */
  apart: z.enum(['host', 'rack', 'zone']).optional(),
  always: z.boolean().optional(),
  /** What each of its pods asks for. */
  cores: z.number().min(0.01).max(512).default(0.5),
  memoryGiB: z.number().min(0.01).max(4096).default(1),
  /** Seconds from its start until a pod is ready. */
  ready: z.number().int().min(0).max(86_400).default(10),
  /** Seconds that its pods wait for a host that is lost, where it is otherwise than the charter says. */
  tolerate: z.number().int().min(0).max(86_400).optional(),
  /** Seconds that it may be away at the most; nothing is said where it is empty. */
  mayBeAway: z.number().int().min(0).max(2_592_000).optional(),
  /** Seconds of what it wrote last that may be lost, where all copies are. */
  mayLose: z.number().int().min(0).max(31_536_000).optional(),
  /** Of a StatefulSet each pod has its own of each; those of a Deployment are shared by its pods. */
  volumes: z
    .array(
      z.strictObject({
        name: Label,
        /** Its storage class; empty: the default. */
        class: Name.optional(),
        sizeGB: z.number().int().min(1).max(1_000_000),
        /** What of it becomes other in a day. */
        changesGB: z.number().min(0).max(1_000_000).optional(),
        /** How many nodes may use it at once (ReadWriteOnce, ReadWriteMany). */
        access: z.enum(['one-node', 'many-nodes']).default('one-node'),
      }),
    )
    .max(20)
    .optional(),
});
export type Workload = z.infer<typeof Workload>;
