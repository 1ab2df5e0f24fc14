import {
  type ActName,
  authorize,
  type Difference,
  type KeyringEntry,
  type Principal,
  type Role,
  system,
} from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { Refusal } from '../refusal.ts';

/** Asks whether somebody may do something. @throws Refusal that says why not, and what to do */
export function permit(who: Principal, act: ActName, difference?: Difference): void {
  const d = authorize(who, act, difference);
  if (d.allowed) return;
  throw new Refusal(d.code, d.message, {
    remedy: d.remedy,
    ...(d.path ? { places: [{ path: d.path, message: d.message }] } : {}),
  });
}

/** Entries of the keyring with where they may be sent; never their content. */
export const keyringEntries = async (m: EntityManager): Promise<KeyringEntry[]> =>
  (await m.query('select name, use, places from keyring order by name')) as KeyringEntry[];

/** Why a job may not go on in the name of somebody; undefined: it may. The account may have been disabled, or its role changed. */
export async function whyNot(m: EntityManager, login: string, act: ActName): Promise<string | undefined> {
  try {
    permit(await principalOf(m, login), act);
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
  const [row] = (await m.query('select login, role, disabled from account where login = $1', [login])) as {
    login: string;
    role: Role;
    disabled: boolean;
  }[];
  if (!row || row.disabled)
    throw new Refusal('not-allowed', `${login}, in whose name this runs, ${row ? 'is disabled' : 'has no account any more'}.`, {
      remedy: 'Start it again under another account.',
    });
  return { kind: 'person', login: row.login, role: row.role };
}
