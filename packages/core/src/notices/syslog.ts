import type { Act, NoticeAbout } from './notice.ts';
import { headOf, linesOf } from './words.ts';

/** Facility 13, log audit (RFC 5424, table 1). */
const facility = 13;
/** By what is told (table 2): 3 error, 4 warning, 6 informational. */
const severity: Record<NoticeAbout, number> = { failed: 3, drift: 4, approval: 5, ended: 6, record: 6 };

/** Printable US-ASCII without blanks, of at most so many characters; `-` for nothing (6.1). */
const word = (text: string, most: number) => text.replace(/[^\x21-\x7e]+/g, '_').slice(0, most) || '-';
/** A parameter's value: quotation marks, backslashes and closing brackets are escaped (6.3.3). */
const value = (text: string) => text.replace(/[\\"\]]/g, (c) => `\\${c}`).replace(/[\r\n]+/g, ' ');

/**
 * An act as a line of syslog (RFC 5424). What a program reads stands in the structured data, under an enterprise number that is kept for examples (RFC 5612); what a
 * person reads in the text, which is UTF-8 and begins with its mark (6.4).
 *
 * @example <107>1 2026-11-30T01:00:00.000Z praesidor praesidor - failed [act@32473 id="7" who="iris" …] \ufeffplover: a step failed; why: …
 */
export function syslogLine(a: Act, host: string): string {
  const pri = facility * 8 + severity[a.about ?? 'record'];
  const data = { id: String(a.id), who: a.who, act: a.act, subject: a.subject, ...(a.site ? { site: a.site } : {}) };
  const params = Object.entries(data).map(([k, v]) => `${k}="${value(v)}"`);
  const text = [headOf(a), ...linesOf(a)].join('; ').replace(/[\r\n]+/g, ' ');
  return `<${pri}>1 ${a.at} ${word(host, 255)} praesidor - ${word(a.about ?? 'record', 32)} [act@32473 ${params.join(' ')}] \ufeff${text}`.slice(
    0,
    8000,
  );
}

/** A line as a stream carries it: its length in octets before it (RFC 6587 3.4.1, RFC 5425 4.3). */
export const framed = (line: string): string => `${new TextEncoder().encode(line).length} ${line}`;
