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

/** Sessions by the digest of what a browser sends. That one was seen is put down once a minute. */
export const sessionsIn = (db: DataSource): SharedLook<Who> =>
  new SharedLook(async (hashes) => {
    const rows = (await db.manager.query(
      `with seen as (update session set seen_at = now() where token_hash = any($1) and seen_at < now() - interval '1 minute') select s.token_hash as hash, s.id as session, a.login, a.name, ${rightsOf('a')}, s.csrf from session s join account a on a.login = s.login where s.token_hash = any($1) and s.expires_at >= now() and not a.disabled`,
      [hashes],
    )) as (Who & { hash: string })[];
    return new Map(rows.map(({ hash, ...who }) => [hash, who]));
  });
