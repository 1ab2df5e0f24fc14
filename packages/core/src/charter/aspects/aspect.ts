import type { Charter } from '../../model/documents.ts';
import type { View } from '../../reading/index.ts';
import type { Computed, Follow, Problem, Reason } from '../plan.ts';

/** What an aspect is computed from: the charter, whatever it reads of the estate, and other aspects. */
export interface Given {
  charter: Charter;
  view: View;
  /** The part of the plan that another aspect computes. An aspect that needs itself is a mistake, and told as one. */
  need: <P extends object>(aspect: Aspect<P>) => P;
}
/** What an aspect answers: its part of the plan, and what keeps that from being whole. */
export type Part<P> = P & { problems?: Problem[] };

/**
 * One aspect of what follows from a charter. `compute` is arithmetic alone; `lines` says on the sheet what came out and why, as reasons
 * whose words stand in `reasons.ts`. A new aspect is a file and a line in `aspects/index.ts`.
 */
export interface Aspect<P extends object> {
  name: string;
  compute: (given: Given) => Part<P>;
  lines?: (plan: Computed) => Line[];
}
export type Line = Omit<Follow, 'mono'> & { mono?: boolean };
export const aspect = <P extends object>(a: Aspect<P>): Aspect<P> => a;

type Fields = Reason['field'];
/** A reason, with the field of the charter that it goes back to where there is one. */
export const because = (rule: Reason['rule'], figures: Reason['figures'] = {}, field?: Fields): Reason => ({
  rule,
  figures,
  ...(field ? { field } : {}),
});
