import type { Between, ChangeKind } from '../change.ts';
import { howReissued, reissued, reissuedRows } from './while-running.ts';

const day = 86_400_000;

/** When the first certificate on a host of it ends, in milliseconds; undefined: nobody knows. */
export const firstEnd = (ends: Iterable<string>): number | undefined => {
  const all = [...ends].map(Date.parse).filter((n) => !Number.isNaN(n));
  return all.length ? Math.min(...all) : undefined;
};

/** Certificates are renewed sixty days before their end, or when a third of their time is left. */
export const renewFrom = (end: number, days: number): number => end - Math.min(60, days / 3) * day;

const due = (b: Between) => {
  const end = firstEnd(b.installed.certificates.values());
  return end !== undefined && b.now >= renewFrom(end, b.plan.charter.certificates?.days ?? 365);
};
const dayOf = (ms: number) => new Date(ms).toISOString().slice(0, 10);

/** New certificates of its authorities for every host: the keys of the authorities, and whom they are trusted by, stay. */
export const renew: ChangeKind = {
  kind: 'renew',
  label: 'Renew certificates',
  reissues: true,
  due: (b) =>
    !b.installed.elsewhere &&
    b.stays.length > 0 &&
    !b.joins.length &&
    !b.leaves.length &&
    !b.behind.length &&
    !b.installed.files.size &&
    !b.installed.manifests.length &&
    due(b),
  asked: (b) => b.stays.length > 0 && !b.joins.length && !b.leaves.length && !b.behind.length,
  installs: (b) => b.stays,
  title: (b) => `Renew certificates of ${b.plan.charter.name}`,
  ...reissued,
  rows: (b) => {
    const end = firstEnd(b.installed.certificates.values());
    const days = b.plan.charter.certificates?.days ?? 365;
    return [
      {
        what: 'Certificates of the cluster',
        now: end === undefined ? 'as installed' : `the first ends ${dayOf(end)}`,
        after: `end ${dayOf(b.now + days * day)}`,
        how: `issued by the same authorities; ${howReissued(b)}`,
        field: 'certificates.days',
      },
      { what: 'Authorities', now: 'trusted', after: 'trusted', how: 'not touched' },
      ...reissuedRows(b),
    ];
  },
};
