import type { EntityManager } from 'typeorm';
import type { Config } from '../../config.ts';
import { keepSecret } from './pki.ts';

/** The way into the API of a cluster that somebody else built, in PEM. */
export interface WayIn {
  ca: string;
  certificate: string;
  key: string;
  /** The certificate that its API showed. */
  shown?: string | undefined;
}

/** Keeps it, sealed, under the names that a cluster's own have: without the key of the authority, from which the others are issued. */
export async function keepWay(config: Config, m: EntityManager, charter: string, way: WayIn): Promise<void> {
  await m.query('delete from cluster_secret where charter = $1', [charter]);
  await keepSecret(config, m, charter, 'cluster-ca.crt', way.ca, {});
  await keepSecret(config, m, charter, 'admin.crt', way.certificate, {});
  await keepSecret(config, m, charter, 'admin.key', way.key, {});
  if (way.shown) await keepSecret(config, m, charter, 'apiserver.crt', way.shown, {});
}

/** Whether a cluster was built by something else: its authority is known, and the key of that is not here. */
export async function isElsewhere(m: EntityManager, charter: string): Promise<boolean> {
  const [row] = (await m.query(
    `select count(*) filter (where name = 'cluster-ca.crt')::int as known, count(*) filter (where name = 'cluster-ca.key')::int as ours
     from cluster_secret where charter = $1`,
    [charter],
  )) as { known: number; ours: number }[];
  return row !== undefined && row.known > 0 && row.ours === 0;
}
