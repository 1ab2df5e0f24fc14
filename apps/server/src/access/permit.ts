import {
  type ActName,
  authorize,
  changeAskedBy,
  type Difference,
  type FourEyes,
  type KeyringEntry,
  needsSecond,
  type Principal,
  type Rights,
  system,
  type SiteOf,
  type Where,
} from '@praesidor/core/access';
import type { Change } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { Refusal } from '../refusal.ts';

/** Asks whether somebody may do something. @throws Refusal that says why not, and what to do */
export function permit(who: Principal, act: ActName, difference?: Difference, where?: Where | 'anywhere'): void {
  const d = authorize(who, act, difference, where);
  if (d.allowed) return;
  throw new Refusal(d.code, d.message, {
    remedy: d.remedy,
    ...(d.path ? { places: [{ path: d.path, message: d.message }] } : {}),
  });
}

/** Sites and teams at which a second person approves. */
export async function fourEyesIn(m: EntityManager): Promise<FourEyes> {
  const rows = (await m.query(
    "select 'site' as what, key from site where (doc->>'fourEyes')::boolean union all select 'team', key from team where (doc->>'fourEyes')::boolean",
  )) as { what: 'site' | 'team'; key: string }[];
  const of = (what: string) => rows.filter((r) => r.what === what).map((r) => r.key);
  return { sites: of('site'), teams: of('team') };
}

/**
 * Holds back what somebody does alone to addresses, where a second person approves. @throws Refusal; the caller's transaction is to end with it
 */
export async function refuseAlone(m: EntityManager, changes: readonly Change[]): Promise<void> {
  const eyes = await fourEyesIn(m);
  if (!eyes.sites.length) return;
  const of = await sitesOfNetworks(m);
  for (const c of changes) {
    const asks = changeAskedBy(c, eyes, of);
    if (!asks) continue;
    const { message, remedy } = needsSecond(asks, `${c.kind} ${c.key}`);
    throw new Refusal('four-eyes', message, { remedy });
  }
}

/** Entries of the keyring with where they may be sent; never their content. */
export const keyringEntries = async (m: EntityManager): Promise<KeyringEntry[]> =>
  (await m.query('select name, use, places from keyring order by name')) as KeyringEntry[];

/** Why a job may not go on in the name of somebody; undefined: it may. The account may have been disabled, or its role changed. */
export async function whyNot(m: EntityManager, login: string, act: ActName, where?: Where): Promise<string | undefined> {
  try {
    permit(await principalOf(m, login), act, undefined, where);
    return undefined;
  } catch (e) {
    if (e instanceof Refusal && e.code === 'not-allowed') return e.message;
    throw e;
  }
}

/**
 * Who acts when a job goes on in the name of somebody: with the rights that person has now, not those of when it was
 * begun. @throws Refusal when the account is gone or disabled
 */
export async function principalOf(m: EntityManager, login: string): Promise<Principal> {
  if (login === system().login) return system();
  const [row] = (await m.query(`select login, ${rightsOf('account')}, disabled from account where login = $1`, [
    login,
  ])) as (Rights & {
    login: string;
    disabled: boolean;
  })[];
  if (!row || row.disabled)
    throw new Refusal('not-allowed', `${login}, in whose name this runs, ${row ? 'is disabled' : 'has no account any more'}.`, {
      remedy: 'Start it again under another account.',
    });
  return { kind: 'person', login: row.login, role: row.role, sites: row.sites, teams: row.teams };
}

/** What somebody may where, as the database tells it. */
export interface HeldRights extends Rights {
  sites: Record<string, Rights['role']>;
  teams: string[];
}
/** The columns of what somebody may where, of an account in a query. */
export const rightsOf = (account: string): string =>
  `${account}.role, ${account}.sites, array(select t.team from account_team t where t.login = ${account}.login order by t.team) as teams`;

/** Sites of all networks and DNS zones: what addresses and records are asked by. */
export async function sitesOfNetworks(m: EntityManager): Promise<SiteOf> {
  const rows = (await m.query(
    "select 'n' as what, key, doc->>'site' as site from network union all select 'z', key, doc->>'site' from zone",
  )) as { what: 'n' | 'z'; key: string; site: string }[];
  const of = new Map(rows.map((r) => [`${r.what} ${r.key}`, r.site]));
  return { network: (name) => of.get(`n ${name}`), zone: (name) => of.get(`z ${name}`) };
}
