import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The record is added to, and nothing else; it is sealed by a chain of digests, and searched. */
export class Record1766800000000 implements MigrationInterface {
  name = 'Record1766800000000';

  async up(q: QueryRunner): Promise<void> {
    // What was undone is told by the act that undid it: what is on record is not touched again.
    await q.query('alter table audit add column undoes bigint');
    await q.query('update audit u set undoes = a.id from audit a where a.undone_by = u.id');
    await q.query('alter table audit drop column undone_by');
    await q.query('create unique index audit_undoes on audit (undoes) where undoes is not null');
    await q.query(
      'create table audit_seal (n bigint primary key, after bigint not null, last bigint not null unique, acts int not null, digest bytea not null, at timestamptz not null default clock_timestamp())',
    );
    await q.query(
      "create table audit_check (one boolean primary key default true check (one), at timestamptz not null, through bigint not null, broken jsonb not null default '[]')",
    );
    await q.query(`create function stays_as_it_is() returns trigger language plpgsql as $$
      begin raise exception 'what is on record is neither changed nor removed' using errcode = 'insufficient_privilege'; end $$`);
    for (const table of ['audit', 'audit_seal'])
      await q.query(
        `create trigger ${table}_stays before update or delete or truncate on ${table} for each statement execute function stays_as_it_is()`,
      );
    // The digest of the one before, and of every act from then on: all that is told of it, in one fixed form.
    await q.query(`create function audit_digest(before bytea, after bigint, through bigint, out acts int, out digest bytea) language sql stable as $$
      select count(*)::int, sha256(before || coalesce(string_agg(sha256(convert_to(jsonb_build_array(
        id, to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US'), who, act, subject, detail, changes, under, about, site, token, address, undoes)::text, 'UTF8')), ''::bytea order by id), ''::bytea))
      from audit where id > after and id <= through $$`);
    await q.query('create extension if not exists pg_trgm');
    await q.query("create index audit_text on audit using gin ((act || ' ' || subject) gin_trgm_ops)");
    await q.query('create index audit_who on audit (who, id desc)');
    await q.query('create index audit_token on audit (token, id desc) where token is not null');
    await q.query('create index audit_at on audit (at)');
  }

  async down(q: QueryRunner): Promise<void> {
    for (const table of ['audit', 'audit_seal']) await q.query(`drop trigger ${table}_stays on ${table}`);
    await q.query('drop function stays_as_it_is');
    await q.query('drop function audit_digest');
    await q.query('drop table audit_check');
    await q.query('drop table audit_seal');
    await q.query('drop index audit_text, audit_who, audit_token, audit_at');
    await q.query('alter table audit add column undone_by bigint');
    await q.query('update audit a set undone_by = u.id from audit u where u.undoes = a.id');
    await q.query('alter table audit drop column undoes');
  }
}
