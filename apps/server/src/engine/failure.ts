import { ProtocolError } from '@praesidor/protocols/dial';
import type { FailureCode } from '@praesidor/core/schedule';
import { Refusal } from '../refusal.ts';

/** Why a step broke, and what the engineer can do about it. */
export class StepFailure extends Error {
  constructor(
    message: string,
    readonly remedy?: string,
    /** By which what can be done about it is offered. */
    readonly code?: FailureCode,
  ) {
    super(message);
    this.name = 'StepFailure';
  }
}

/** What is put down of an error that ended a step. `ours`: nobody foresaw it. */
export function failureOf(e: unknown): { text: string; remedy?: string; code?: FailureCode; ours: boolean } {
  const remedy = e instanceof StepFailure ? e.remedy : e instanceof Refusal ? e.more.remedy : undefined;
  const code = e instanceof StepFailure ? e.code : undefined;
  const ours = !(e instanceof StepFailure || e instanceof Refusal || e instanceof ProtocolError);
  return {
    text: ours ? `something in Praesidor itself went wrong: ${(e as Error).message}` : (e as Error).message,
    ...(remedy ? { remedy } : {}),
    ...(code ? { code } : {}),
    ours,
  };
}
