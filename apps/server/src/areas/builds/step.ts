import type { Plan, PlannedNode } from '@praesidor/core/charter';
import type { KitContext } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';
import type { Step, StepKind } from '@praesidor/core/schedule';
import type { EtcdAt } from '@praesidor/protocols/etcd';
import type { KubeAt } from '@praesidor/protocols/kube';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';

/** A report of a host's first boot, as cloud-init's webhook sends it. */
export interface Report {
  name: string;
  event: 'start' | 'progress' | 'finish';
  result: 'SUCCESS' | 'WARN' | 'FAIL';
  text: string;
}

/** What a step is given. It may be run again at any time: what it finds done it leaves. */
export interface StepContext {
  ctx: Context;
  build: BuildRow;
  plan: Plan;
  estate: Estate;
  step: Step;
  node?: PlannedNode | undefined;
  kit: KitContext;
  signal: AbortSignal;
  /** The step broke at its last try, so the host must be brought back to where it can go on. */
  retry: boolean;
  /** It was under way before, and whoever drove it is gone: what it waited for may have come meanwhile, or may have found nobody. */
  cutOff: boolean;
  log: (line: string, level?: 'info' | 'warn') => Promise<void>;
  progress: (done: number, of: number, text?: string) => Promise<void>;
  /** Something went wrong and came right again: shown, without frightening. */
  healed: (text: string) => Promise<void>;
  /** What it put down before, and puts down for when it is run again. */
  knows: Record<string, string>;
  remember: (key: string, value: string | undefined) => Promise<void>;
  /** What another step of the same host put down. */
  noted: (kind: StepKind, key: string) => string | undefined;
  /** Asks until the answer is there; fails with `otherwise` when there was no sign of life for several times as long as the step usually takes. */
  until: <T>(ask: () => Promise<T | undefined>, otherwise: () => string) => Promise<T>;
  /** Reports of this step's host since the step began, each once. */
  reports: () => Promise<Report[]>;
  /** The API of the cluster; of one member, where one is named. */
  kube: (member?: { address: string }) => KubeAt;
  /** The member of etcd on a host of the control plane. */
  etcd: (node: { name: string; address: string }) => EtcdAt;
}
export interface StepRunner {
  kind: StepKind;
  run: (s: StepContext) => Promise<string>;
}

export { StepFailure } from '../../engine/failure.ts';
