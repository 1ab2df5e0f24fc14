import { secondsText } from '../words/amounts.ts';
import type { ColdStart, StartCircle, StartRow } from './order.ts';

/** Titles of parts by what they are called in needs. */
const titlesOf = (all: ColdStart) => new Map(all.parts.map((p) => [p.id, p.title]));
const listed = (names: readonly string[]) =>
  names.length > 3 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more` : names.join(', ');

/** What a part needs, a line each: "2 of lr-02, lr-03 and 1 more: etcd wants 2 of 3 members". */
export function needsText(all: ColdStart, row: StartRow): string[] {
  const titles = titlesOf(all);
  const what = (any: readonly string[], of: number) =>
    `${any.length === of ? '' : of === 1 ? 'one of ' : `${of} of `}${listed(any.map((id) => titles.get(id) ?? id))}`;
  return [
    ...row.needs.map((n) => `${what(n.any, n.of)}: ${n.why}`),
    ...row.without.map((n) => `does not wait for ${what(n.any, n.any.length)}${n.unless ? `, as long as ${n.unless}` : ''}`),
  ];
}
/** Whether a need says more than for whom a part waits: it has a choice, or is not waited for. */
export const says = (need: string): boolean => /^(one|\d+) of |^does not/.test(need);

/** Whom a part waits for longest. */
export const waitsText = (all: ColdStart, row: StartRow): string => {
  const titles = titlesOf(all);
  return row.waits.map((id) => titles.get(id) ?? id).join(', ');
};
/** Time after which something happens: at once, or after so long. */
export const afterText = (seconds: number): string => (seconds ? secondsText(seconds) : 'at once');

/** A circle as one line: who waits for whom. */
export const circleText = (c: StartCircle): string =>
  `${c.parts.map((p) => p.title).join(' waits for ')} waits for ${c.parts[0]?.title ?? ''}`;
/** What a circle means: it starts on a condition, or never by itself. */
export const circleMeans = (c: StartCircle): string =>
  c.unless
    ? `It starts only as long as ${c.unless}.`
    : 'Nothing of it starts by itself: somebody has to put something else in its place by hand.';

/** Rows in the order of a planned stop: what others wait for comes last. */
export const inStopOrder = (all: ColdStart): StartRow[] =>
  all.parts
    .filter((p) => p.kind !== 'names' && p.kind !== 'time' && p.kind !== 'link')
    .sort((a, b) => a.stopBegins - b.stopBegins || b.up - a.up || (a.id < b.id ? -1 : 1));
