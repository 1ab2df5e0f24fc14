import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Charters with blanks: a kind of document of their own. */
export class Templates1764900000000 implements MigrationInterface {
  name = 'Templates1764900000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      'create table template (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null)',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table template');
  }
}
