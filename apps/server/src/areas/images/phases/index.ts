import type { Estate, Registry } from '@praesidor/core/model';
import type { Context } from '../../../context.ts';
import type { Shipment } from '../../../db/tables.ts';
import type { Meter } from '../meter.ts';
import { land } from './land.ts';
import { move } from './move.ts';
import { pack } from './pack.ts';

/** What a phase of a shipment works with. It may be cut short at any moment, and is then begun again. */
export interface Phase {
  ctx: Context;
  estate: Estate;
  s: Shipment;
  target: Registry;
  meter: Meter;
  signal: AbortSignal;
  /** A line of the log of what is being done. */
  log: (line: string, level?: 'info' | 'warn') => Promise<void>;
}
export interface PhaseEnd {
  state: 'packed' | 'landed' | 'short';
  error?: string;
}

/** By the kind of the step that carries the phase out. */
export const phases = { pack, land, move } satisfies Record<string, (p: Phase) => Promise<PhaseEnd>>;
export type PhaseName = keyof typeof phases;
export const isPhase = (kind: string): kind is PhaseName => Object.hasOwn(phases, kind);
