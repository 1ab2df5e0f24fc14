import { ProtocolError, type ProtocolFault } from '@praesidor/protocols/dial';
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

/** Nothing was heard of what a step waits for, for so long that it is given up. */
export class Silence extends StepFailure {}

/** Thrown by a step that cannot go on before a time: it waits for that, gives its place away meanwhile, and is begun again. */
export class NotBefore extends Error {
  /** @param until RFC 3339 */
  constructor(
    message: string,
    readonly until: string,
  ) {
    super(message);
    this.name = 'NotBefore';
  }
}

const away = 'Look whether it runs, and whether this server reaches it, then resume.';
const certificate = 'Compare the certificate that it shows with the one that is expected of it, then resume.';
const said = 'See to what it says, then resume.';
/** What can be done where something outside did not do what was asked of it, and its step knows nothing better. */
const usualRemedy: Record<ProtocolFault, string | undefined> = {
  silent: away,
  refused: away,
  cut: away,
  unresolved: 'Look whether its name is in DNS, and whether the resolvers of its site answer, then resume.',
  pin: certificate,
  trust: certificate,
  name: certificate,
  credentials: 'Correct the entry of the keyring that is sent there, then resume.',
  answer: said,
  digest: said,
  missing: said,
  full: 'Make room there, then resume.',
  busy: 'Wait until it has less to do, then resume.',
  'kept-back': 'Declare it for this, or give the entry of the keyring that place, then resume.',
  // It was stopped by us.
  cancelled: undefined,
};

/** What is put down of an error that ended a step. `ours`: nobody foresaw it. */
export function failureOf(e: unknown): { text: string; remedy?: string; code?: FailureCode; ours: boolean } {
  const remedy =
    e instanceof StepFailure
      ? e.remedy
      : e instanceof Refusal
        ? e.more.remedy
        : e instanceof ProtocolError
          ? usualRemedy[e.fault]
          : undefined;
  const code = e instanceof StepFailure ? e.code : undefined;
  const ours = !(e instanceof StepFailure || e instanceof Refusal || e instanceof ProtocolError);
  return {
    text: ours ? `something in Praesidor itself went wrong: ${(e as Error).message}` : (e as Error).message,
    ...(remedy ? { remedy } : {}),
    ...(code ? { code } : {}),
    ours,
  };
}
