import type { Verdict } from './cases.ts';
import type { Ms } from './room.ts';

/** How many cases have their longest absence in a span of time. */
export interface Absences {
  label: string;
  /** Cases in which everything comes back by itself, and the others. */
  mends: number;
  stays: number;
}
const minute = 60_000;
const spans: [label: string, to: Ms][] = [
  ['up to 1 min', minute],
  ['1 to 5 min', 5 * minute],
  ['5 to 15 min', 15 * minute],
  ['longer', Number.POSITIVE_INFINITY],
];
const spanOf = (v: Verdict): string => {
  if (!v.longest) return 'nothing';
  const { ms } = v.longest;
  return ms === undefined ? 'until mended' : (spans.find(([, to]) => ms <= to)?.[0] ?? 'longer');
};

/** All cases by their longest absence, the shortest first: also the spans in which there is none. */
export function absencesOf(cases: readonly Verdict[]): Absences[] {
  return ['nothing', ...spans.map(([label]) => label), 'until mended'].map((label) => {
    const of = cases.filter((v) => spanOf(v) === label);
    const stays = of.filter((v) => v.stays).length;
    return { label, mends: of.length - stays, stays };
  });
}
