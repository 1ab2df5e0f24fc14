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
}
export interface PhaseEnd {
  state: 'packed' | 'landed' | 'short';
  error?: string;
}

/** By the state that a shipment is in while the phase runs. */
export const phases: Record<'packing' | 'landing' | 'moving', (p: Phase) => Promise<PhaseEnd>> = {
  packing: pack,
  landing: land,
  moving: move,
};
