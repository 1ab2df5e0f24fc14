import { X509Certificate } from 'node:crypto';
import type { ChangePlan } from '@praesidor/core/changes';
import type { Estate } from '@praesidor/core/model';
import { fingerprintOf } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { dueOf } from '../builds/due.ts';
import { pems } from '../images/certificates.ts';
import { trustedKeys } from '../images/instance.ts';

/** The site book as a page: all that somebody needs who stands there without a network. */
export async function siteBook(ctx: Context, site: string): Promise<string> {
  const { estate, revision } = await loadEstate(ctx.db);
  needIn(estate, 'Site', site);
  const m = ctx.db.manager;
  const due = new Map<string, ChangePlan>();
  // What runs on the clusters is not asked: the book is made where they need not be reached.
  for (const c of estate.charters.filter((x) => x.site === site)) {
    const change = (await dueOf(ctx, m, estate, c.name, undefined, undefined)).due;
    if (change) due.set(c.name, change);
  }
  const trusted = (await trustedKeys(ctx.config, m)).map(({ name, fingerprint }) => ({ name, fingerprint }));
  return ctx.compute.bookOf(estate, site, { revision, now: estate.now, due, authorities: authoritiesOf(estate, site), trusted });
}

const fingerprint = (pem: string): string => {
  try {
    return fingerprintOf(new X509Certificate(pem).raw);
  } catch {
    return 'a certificate that cannot be read';
  }
};
const authoritiesOf = (estate: Estate, site: string): Record<string, string[]> =>
  Object.fromEntries(estate.registries.filter((r) => r.site === site).map((r) => [r.name, pems(r.ca ?? '').map(fingerprint)]));
