import type { DataSource } from 'typeorm';
import { type HeldRights, rightsOf } from '../access/permit.ts';
import { SharedLook } from './shared-look.ts';

export interface Who extends HeldRights {
  login: string;
  name: string;
  csrf: string;
  /** Number of the session, which is no secret. */
  session: string;
}

/** Minutes without a request after which a visit has ended: the next request begins another. */
const pause = 30;

/**
 * Sessions by the digest of what a browser sends. That one was seen is put down once a minute, with the account, which
 * keeps when its last visit ended. An account that another server puts down at the moment is passed over: the next minute comes.
 */
export const sessionsIn = (db: DataSource): SharedLook<Who> =>
  new SharedLook(async (hashes) => {
    const rows = (await db.manager.query(
      `with seen as (update session set seen_at = now() where token_hash = any($1) and seen_at < now() - interval '1 minute'),
         due as (select login from account where login in (select login from session where token_hash = any($1) and expires_at >= now())
           and (here_at is null or here_at < now() - interval '1 minute') order by login for update skip locked),
         here as (update account a set here_at = now(), left_at = case when here_at < now() - interval '${pause} minutes' then here_at else left_at end
           from due where a.login = due.login)
       select s.token_hash as hash, s.id as session, a.login, a.name, ${rightsOf('a')}, s.csrf from session s join account a on a.login = s.login where s.token_hash = any($1) and s.expires_at >= now() and not a.disabled`,
      [hashes],
    )) as (Who & { hash: string })[];
    return new Map(rows.map(({ hash, ...who }) => [hash, who]));
  });
