import { billsOf } from '../model/bills.ts';
import { holdsCount } from '../model/observed.ts';
import type { Bill, SeenRegistry } from '../model/observed.ts';
import type { Registry } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { heldBy, joinBills, missing } from './bill.ts';
import { bytesText, counted } from '../words/amounts.ts';

export interface HandOverStep {
  what: 'content' | 'proof' | 'cluster' | 'starter';
  subject: string;
  done: boolean;
  text: string;
  /** Why it cannot be done yet. */
  waits?: string;
}
export interface HandOver {
  from: string;
  to: string;
  bills: string[];
  steps: HandOverStep[];
}

/**
 * The hand-over from a starter registry to a standing one: everything its clusters need is there and proved, each
 * cluster's rules are switched, and the starter is kept until nothing uses it. `pulls`: reads of the starter by
 * hosts since the last cluster was switched, from its log; infinite: not known.
 */
export function handOver(estate: Estate, from: Registry, to: Registry, pulls: number): HandOver {
  const users = estate.charters.filter((c) => c.mirror === from.name);
  const both = estate.charters.filter((c) => c.mirror === from.name || c.mirror === to.name);
  // What those that are there already lack is a finding of theirs, and holds up nobody else.
  const bills = [...new Set(users.flatMap((c) => billsOf(c)))];
  const known = bills.flatMap((n): Bill[] => (estate.observed.bills[n] ? [estate.observed.bills[n]] : []));
  const seen = estate.observed.registries[to.name];
  const lack = missing(joinBills('', known), heldBy(seen, to));
  const whole = seen !== undefined && known.length === bills.length && lack.images.length === 0;
  const proved = proofOf(to, seen, whole).done;
  const steps: HandOverStep[] = [
    {
      what: 'content',
      subject: to.name,
      done: whole,
      text: !users.length
        ? both.length
          ? `${to.name} answers ${both.map((c) => c.name).join(', ')} now`
          : `no cluster pulls from ${from.name}: nothing has to change`
        : whole
          ? `${to.name} holds everything of ${bills.join(', ') || 'no bill'}`
          : `${to.name} lacks ${bytesText(lack.declaredBytes)}, ${lack.images.length} images`,
    },
    proofOf(to, seen, whole),
    ...both.map((c): HandOverStep => {
      const done = c.mirror === to.name;
      return {
        what: 'cluster',
        subject: c.name,
        done,
        text: done ? `${c.name} pulls from ${to.name}` : `${c.name} pulls from ${from.name}`,
        ...(done || proved ? {} : { waits: whole ? 'what is there was not proved yet' : 'its content is not there yet' }),
      };
    }),
  ];
  const idle = users.length === 0 && pulls === 0;
  steps.push({
    what: 'starter',
    subject: from.name,
    done: false,
    text: idle ? `nothing uses ${from.name} any more: it can be taken down` : `${from.name} is kept`,
    ...(idle
      ? {}
      : {
          waits: users.length
            ? users.length === 1
              ? '1 cluster still pulls from it'
              : `${counted(users.length, 'cluster still pulls', 'clusters still pull')} from it`
            : Number.isFinite(pulls)
              ? `it was read ${pulls === 1 ? 'once' : `${pulls} times`} since`
              : 'its log of pulls was not read yet',
        }),
  });
  return { from: from.name, to: to.name, bills, steps };
}

/**
 * What is there is proved when every blob was read again since the last one came, and verified; at a registry that tells no more
 * than the standard, when each was asked for.
 */
function proofOf(to: Registry, seen: SeenRegistry | undefined, whole: boolean): HandOverStep {
  const step = (done: boolean, text: string, waits?: string): HandOverStep => ({
    ...{ what: 'proof', subject: to.name, done, text },
    ...(waits ? { waits } : {}),
  });
  if (!whole) return step(false, `${to.name} proves what it holds`, 'its content is not there yet');
  if (seen?.askedAt) return step(true, `${to.name} answered to every name, manifest and blob`);
  const s = seen?.scrub;
  if (s?.running) return step(false, `${to.name} reads what it holds again: ${s.done} of ${s.of} blobs`);
  if (!s?.endedAt || s.of < holdsCount(seen)) return step(false, `${to.name} reads every blob again`);
  const bad = s.damaged.length + s.missing.length;
  return bad
    ? step(false, `${bad} of the blobs that ${to.name} read again did not verify`)
    : step(true, `${to.name} read ${s.done} blobs again, and every one verifies`);
}
