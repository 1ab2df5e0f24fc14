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
  'not-now': 409,
  'too-many': 429,
  'too-large': 413,
} as const;
export type RefusalCode = keyof typeof catalogue;

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
    readonly more: { remedy?: string; places?: Place[]; current?: unknown } = {},
  ) {
    super(message);
    this.name = 'Refusal';
    this.status = catalogue[code];
  }
}
export const refusalCodes = Object.keys(catalogue);
