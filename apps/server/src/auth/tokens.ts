import type { Role } from '@praesidor/core/access';
import type { DataSource } from 'typeorm';
import { hashed } from './seal.ts';

/** By what a token is known when it is found where it should not be. */
export const tokenPrefix = 'praesidor-';

export interface TokenOf {
  login: string;
  /** Of the person. */
  person: string;
  role: Role;
  name: string;
  acts: string[];
}

/**
 * Whose a token is; undefined: it is none, or has ended, or its person is disabled. A digest is kept of it and nothing else. When it was used last, and from where, is put down once a minute, and when that is
 * somewhere else.
 */
export async function tokenOf(db: DataSource, text: string, address: string): Promise<TokenOf | undefined> {
  if (!text.startsWith(tokenPrefix)) return undefined;
  const rows = (await db.manager.query(
    `with found as (select t.id, t.login, t.name, t.acts, a.name as person, a.role from token t join account a on a.login = t.login where t.token_hash = $1 and t.ends_at > now() and not a.disabled),
      used as (update token set used_at = now(), used_from = $2 where id in (select id from found) and (used_at is null or used_at < now() - interval '1 minute' or used_from is distinct from $2))
     select login, person, role, name, acts from found`,
    [hashed(text), address],
  )) as TokenOf[];
  return rows[0];
}
