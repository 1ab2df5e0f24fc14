import type { Only } from '@praesidor/core/access';
import type { DataSource } from 'typeorm';
import { type HeldRights, rightsOf } from '../access/permit.ts';
import { hashed } from './seal.ts';
import { SharedLook } from './shared-look.ts';

/** By what a token is known when it is found where it should not be. */
export const tokenPrefix = 'praesidor-';

export interface TokenOf extends HeldRights {
  login: string;
  /** Of the person. */
  person: string;
  name: string;
  acts: string[];
  only: Only;
}
type Row = Omit<TokenOf, 'only'> & { hash: string; at: string; onlySites: string[] | null; onlyTeam: string | null };

/**
 * Whose tokens are, by what a program sends and from where. A digest is kept of a token and nothing else. When it was used last, and from where, is put
 * down once a minute, and when that is somewhere else.
 */
export class Tokens {
  private readonly look: SharedLook<TokenOf>;
  constructor(db: DataSource) {
    this.look = new SharedLook<TokenOf>(async (keys) => {
      const asked = keys.map((k) => k.split(' ') as [string, string]);
      const rows = (await db.manager.query(
        `with asked as (select * from unnest($1::text[], $2::text[]) as q(hash, at)),
          found as (select t.id, q.hash, q.at, t.login, t.name, t.acts, t.sites as "onlySites", t.team as "onlyTeam", t.used_at, t.used_from, a.name as person, ${rightsOf('a')}
            from asked q join token t on t.token_hash = q.hash join account a on a.login = t.login where t.ends_at > now() and not a.disabled),
          used as (update token t set used_at = now(), used_from = f.at from found f where t.id = f.id and (f.used_at is null or f.used_at < now() - interval '1 minute' or f.used_from is distinct from f.at))
         select hash, at, login, person, role, sites, teams, name, acts, "onlySites", "onlyTeam" from found`,
        [asked.map(([hash]) => hash), asked.map(([, at]) => at)],
      )) as Row[];
      return new Map(
        rows.map(({ hash, at, onlySites, onlyTeam, ...of }) => [
          `${hash} ${at}`,
          { ...of, only: { ...(onlySites ? { sites: onlySites } : {}), ...(onlyTeam ? { team: onlyTeam } : {}) } },
        ]),
      );
    });
  }

  /** @returns undefined: it is none, or has ended, or its person is disabled */
  find = async (text: string, address: string): Promise<TokenOf | undefined> =>
    text.startsWith(tokenPrefix) ? this.look.find(`${hashed(text)} ${address}`) : undefined;
}
