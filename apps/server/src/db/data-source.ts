import 'reflect-metadata';
import { DataSource, QueryRunnerAlreadyReleasedError, QueryRunnerProviderAlreadyReleasedError } from 'typeorm';
import { fits } from './fits.ts';
import { heldOnly } from './held-only.ts';
import { First1763900000000 } from './migrations/0001-first.ts';
import { Ledger1764000000000 } from './migrations/0002-ledger.ts';
import { Hosts1764100000000 } from './migrations/0003-hosts.ts';
import { Images1764200000000 } from './migrations/0004-images.ts';
import { Ground1764300000000 } from './migrations/0005-ground.ts';
import { WrongBytes1764400000000 } from './migrations/0006-wrong-bytes.ts';
import { EraseDisks1764500000000 } from './migrations/0007-erase-disks.ts';
import { Paused1764600000000 } from './migrations/0008-paused.ts';
import { PlainNames1764700000000 } from './migrations/0009-plain-names.ts';
import { Acceptances1764800000000 } from './migrations/0010-acceptances.ts';
import { Templates1764900000000 } from './migrations/0011-templates.ts';
import { BuildKits1765000000000 } from './migrations/0012-build-kits.ts';
import { CharterTexts1765100000000 } from './migrations/0013-charter-texts.ts';
import { Prerequisites1765200000000 } from './migrations/0014-prerequisites.ts';
import { Changes1765300000000 } from './migrations/0015-changes.ts';
import { Runs1765700000000 } from './migrations/0016-runs.ts';
import { Proofs1765800000000 } from './migrations/0017-proofs.ts';
import { Took1765900000000 } from './migrations/0018-took.ts';
import { Notices1766000000000 } from './migrations/0019-notices.ts';
import { ShipmentRuns1766100000000 } from './migrations/0020-shipment-runs.ts';
import { Gateways1766200000000 } from './migrations/0021-gateways.ts';
import { Backups1766300000000 } from './migrations/0022-backups.ts';
import { Standbys1766400000000 } from './migrations/0023-standbys.ts';
import { Losses1766500000000 } from './migrations/0024-losses.ts';
import { Tokens1766600000000 } from './migrations/0025-tokens.ts';
import { Teams1766700000000 } from './migrations/0026-teams.ts';
import { Record1766800000000 } from './migrations/0027-record.ts';
import { Invitations1766900000000 } from './migrations/0028-invitations.ts';
import { SignInProvider1767000000000 } from './migrations/0029-sign-in-provider.ts';
import { Proposals1767100000000 } from './migrations/0030-proposals.ts';
import { ClusterAccess1767200000000 } from './migrations/0031-cluster-access.ts';
import { HostParts1767300000000 } from './migrations/0032-host-parts.ts';
import { Bundles1767400000000 } from './migrations/0033-bundles.ts';
import { Visits1767500000000 } from './migrations/0034-visits.ts';
import { Filters1767600000000 } from './migrations/0035-filters.ts';
import { isRetry } from './errors.ts';
import { HeardClient } from './heard-client.ts';
import { entities } from './tables.ts';

/** Migrations in their order; a new one is a file and a line here. */
const migrations = [
  First1763900000000,
  Ledger1764000000000,
  Hosts1764100000000,
  Images1764200000000,
  Ground1764300000000,
  WrongBytes1764400000000,
  EraseDisks1764500000000,
  Paused1764600000000,
  PlainNames1764700000000,
  Acceptances1764800000000,
  Templates1764900000000,
  BuildKits1765000000000,
  CharterTexts1765100000000,
  Prerequisites1765200000000,
  Changes1765300000000,
  Runs1765700000000,
  Proofs1765800000000,
  Took1765900000000,
  Notices1766000000000,
  ShipmentRuns1766100000000,
  Gateways1766200000000,
  Backups1766300000000,
  Standbys1766400000000,
  Losses1766500000000,
  Tokens1766600000000,
  Teams1766700000000,
  Record1766800000000,
  Invitations1766900000000,
  SignInProvider1767000000000,
  Proposals1767100000000,
  ClusterAccess1767200000000,
  HostParts1767300000000,
  Bundles1767400000000,
  Visits1767500000000,
  Filters1767600000000,
];

/**
 * Connects and brings the schema up to date; several servers may start at once. `wait`: milliseconds for which processes of an earlier version are given time to end.
 * @throws Error when another version was or is at work there (`fits`)
 */
export async function openDatabase(url: string, wait?: number): Promise<DataSource> {
  const db = await new DataSource({
    type: 'postgres',
    url,
    entities,
    migrations,
    synchronize: false,
    migrationsRun: false,
    logging: false,
    extra: { max: 16, connectionTimeoutMillis: 5000, ...heldOnly, application_name: 'praesidor', Client: HeardClient },
  }).initialize();
  const runner = db.createQueryRunner();
  await runner.connect();
  try {
    await runner.query('select pg_advisory_lock(727001)');
    await fits(db, runner, wait);
    await db.runMigrations({ transaction: 'all' });
    await runner.query('select pg_advisory_unlock(727001)');
    await runner.release();
  } catch (e) {
    // With the connection goes the lock.
    await runner.release().catch(() => undefined);
    await db.destroy().catch(() => undefined);
    throw e;
  }
  return retrying(db);
}

const tries = 8;

/** The connection of a transaction is gone between two of its statements: the next one is told so by TypeORM, in words that name no cause. */
function connectionLost(e: unknown): unknown {
  if (!(e instanceof QueryRunnerProviderAlreadyReleasedError || e instanceof QueryRunnerAlreadyReleasedError)) return e;
  return new Error('Connection ended in the middle of a transaction', { cause: e });
}

/**
 * Transactions that PostgreSQL gave up because of another (a deadlock, a serialisation failure) are made again: nobody
 * who asks for something should have to know. What runs in one must therefore bear to be run twice.
 */
function retrying(db: DataSource): DataSource {
  const once = db.transaction.bind(db) as (...args: unknown[]) => Promise<unknown>;
  const again = async (...args: unknown[]) => {
    for (let n = 1; ; n++) {
      try {
        return await once(...args);
      } catch (e) {
        if (!isRetry(e) || n === tries) throw connectionLost(e);
        await new Promise((done) => setTimeout(done, 5 * n + Math.random() * 20));
      }
    }
  };
  return Object.assign(db, { transaction: again as DataSource['transaction'] });
}
