import type { Use } from '@praesidor/core/model';

/** Why a request is refused. The code is stable and listed here once; the words are for the person. */
const catalogue = {
  'not-signed-in': 401,
  'sign-in-wrong': 401,
  'not-allowed': 403,
  csrf: 403,
  'not-found': 404,
  conflict: 409,
  'held-twice': 409,
  invalid: 422,
  unreachable: 502,
  /** A certificate is another than the one that was accepted: nothing was sent. */
  pin: 502,
  'not-now': 409,
  'too-many': 429,
  'too-large': 413,
  'in-use': 409,
  'beyond-allowance': 409,
  /** A second person has to approve it first. */
  'four-eyes': 409,
  away: 503,
} as const;
export type RefusalCode = keyof typeof catalogue;
/** The HTTP status of a code. */
export const refusalStatus = (code: RefusalCode): number => catalogue[code];

export interface Place {
  file?: string;
  line?: number;
  column?: number;
  path?: string;
  code?: string;
  message: string;
}

export class Refusal extends Error {
  readonly status: number;
  constructor(
    readonly code: RefusalCode,
    message: string,
    readonly more: {
      remedy?: string;
      /** Seconds after which it is worth asking again. */
      retryAfter?: number;
      places?: Place[];
      /** What stands there now. */
      current?: unknown;
      /** Fields that two people set to different values. */
      collisions?: unknown[];
      /** What uses something that was to go, each with what ends that. */
      uses?: Use[];
    } = {},
  ) {
    super(message);
    this.name = 'Refusal';
    this.status = catalogue[code];
  }
}
