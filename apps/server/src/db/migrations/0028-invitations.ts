import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Links with which people choose a password of their own: one of an account at a time, good once. */
export class Invitations1766900000000 implements MigrationInterface {
  name = 'Invitations1766900000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      'create table invitation (login text primary key references account(login) on delete cascade, token_hash text not null unique, made_by text not null, made_at timestamptz not null default now(), ends_at timestamptz not null)',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table invitation');
  }
}
