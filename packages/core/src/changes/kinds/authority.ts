import type { AuthorityStage, Charter } from '../../model/documents.ts';
import type { Between, ChangeKind, ChangeRow } from '../change.ts';
import { howReissued, reissued, reissuedRows } from './while-running.ts';

const day = 86_400_000;
/** Days before its end from which another authority is due, beside the time that its certificates hold. */
const ahead = 60;

/** No certificate outlives its authority: another one is due as long before its end as a certificate holds and sixty days, or when a third of its time is left. */
export const authorityFrom = (end: number, days: number, caDays: number): number =>
  end - Math.min(days + ahead, caDays / 3) * day;

/** Whether another authority of a cluster is due: one is begun, or the first of those that stand ends too soon. */
export function authorityDue(
  charter: Pick<Charter, 'certificates'>,
  at: { stage: AuthorityStage; ends: string } | undefined,
  now: number,
): boolean {
  const { days = 365, caDays = 3650 } = charter.certificates ?? {};
  return at !== undefined && (at.stage > 1 || now >= authorityFrom(Date.parse(at.ends), days, caDays));
}

const stageOf = (b: Between): AuthorityStage => b.installed.authority?.stage ?? 1;
const still = (b: Between) => b.stays.length > 0 && !b.joins.length && !b.leaves.length && !b.behind.length;

const titles: Record<AuthorityStage, (name: string) => string> = {
  1: (name) => `Trust the next authority of ${name}`,
  2: (name) => `Issue certificates of ${name} by the next authority`,
  3: (name) => `Trust the next authority of ${name} alone`,
};
const outside = 'kubeconfigs handed out';
const rows = (how: string): Record<AuthorityStage, ChangeRow[]> => ({
  1: [
    { what: 'Authorities trusted', now: 'the one that stands', after: 'that one and the next', how },
    { what: 'Certificates', now: 'by the one that stands', after: 'as they are', how: 'not issued anew' },
    { what: outside, now: 'trust the one that stands', after: 'trust both', how: 'hand them out anew before the next change' },
  ],
  2: [
    { what: 'Authorities trusted', now: 'both', after: 'both', how: 'not touched' },
    { what: 'Certificates', now: 'by the one that stood', after: 'by the next', how },
    {
      what: outside,
      now: 'by the one that stood',
      after: 'by the next',
      how: 'one that trusts the old authority alone fails from now on; hand them out anew before the next change',
    },
  ],
  3: [
    { what: 'Authorities trusted', now: 'both', after: 'the next alone', how },
    { what: 'Certificates', now: 'by the next', after: 'as they are', how: 'not issued anew' },
    {
      what: outside,
      now: 'of both are let in',
      after: 'those of the next alone are',
      how: 'an old one lets nobody in from now on',
    },
  ],
});

/**
 * Other authorities for a cluster that stands, in the order in which they must be trusted: first every host trusts the next beside the one that stands; then certificates
 * are issued by the next; then the old one is trusted no more. Each is a change that somebody begins: kubeconfigs are handed out in between.
 */
export const authority: ChangeKind = {
  kind: 'authority',
  label: 'Change authority',
  due: (b) =>
    still(b) &&
    !b.installed.files.size &&
    !b.installed.manifests.length &&
    authorityDue(b.plan.charter, b.installed.authority, b.now),
  asked: still,
  installs: (b) => b.stays,
  authority: stageOf,
  title: (b) => titles[stageOf(b)](b.plan.charter.name),
  ...reissued,
  rows: (b) => [
    {
      what: 'Change',
      now: `${stageOf(b)} of 3`,
      after: titles[stageOf(b)](b.plan.charter.name),
      how: 'each is begun by hand',
      field: 'certificates.caDays',
    },
    ...rows(howReissued(b))[stageOf(b)],
    ...reissuedRows(b),
  ],
};
