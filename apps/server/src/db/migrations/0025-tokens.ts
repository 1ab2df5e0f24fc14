import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Tokens that people make for programs; and with each act by which token it was done, and from where. */
export class Tokens1766600000000 implements MigrationInterface {
  name = 'Tokens1766600000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      `create table token (id uuid primary key default gen_random_uuid(), login text not null references account(login) on delete cascade, name text not null,
        token_hash text not null unique, acts text[] not null, made_at timestamptz not null default now(), ends_at timestamptz not null,
        used_at timestamptz, used_from text, unique (login, name))`,
    );
    await q.query('alter table audit add column token text, add column address text');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table token');
    await q.query('alter table audit drop column token, drop column address');
  }
}
