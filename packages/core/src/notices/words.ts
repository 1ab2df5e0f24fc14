import type { Act } from './notice.ts';

/** A value of an act's detail, in a few words. */
const said = (v: unknown): string => (typeof v === 'string' ? v : JSON.stringify(v));

/** An act in one line: "plover: a step failed". */
export const headOf = (a: Act): string => `${a.subject}: ${a.act}`;
/** What it consists of, a line each: "why: it does not answer". Long ones are cut; what is empty is left out. */
export const linesOf = (a: Act): string[] =>
  Object.entries(a.detail)
    .filter(([, v]) => v !== null && v !== undefined && v !== '')
    .map(([k, v]) => `${k}: ${said(v).slice(0, 500)}`);

/** Where it is looked at: the build that it is about, the proposal, or the cluster; undefined for the rest. */
export const pageOf = (a: Act): string | undefined => {
  const { number, charter, proposal } = a.detail;
  const of = typeof charter === 'string' ? charter : a.subject;
  if (typeof proposal === 'number') return `/proposals/${proposal}`;
  if (a.about === 'approval') return '/proposals';
  if (typeof number === 'number') return `/builds/${of}/${number}`;
  return a.about === 'drift' ? `/clusters/${of}?tab=proof` : undefined;
};

/** A mail about several acts: its subject, and its text. @param url where this installation is */
export function mailOf(acts: readonly Act[], url: string): { subject: string; text: string } {
  const [first] = acts;
  const more = acts.length - 1;
  const one = (a: Act) =>
    [`${a.at}  ${headOf(a)}`, `by: ${a.who}`, ...linesOf(a), ...(pageOf(a) ? [`${url}${pageOf(a)}`] : [])].join('\n  ');
  return {
    subject: `${first ? headOf(first) : 'Praesidor'}${more > 0 ? `, and ${more} more` : ''}`.slice(0, 200),
    text: `${acts.map(one).join('\n\n')}\n`,
  };
}
