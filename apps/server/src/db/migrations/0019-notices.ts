import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Whom this installation tells of what; and, of each act on record, what it is about and at which site. */
export class Notices1766000000000 implements MigrationInterface {
  name = 'Notices1766000000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      'alter table audit add column about text, add column site text',
      // The last act that was told, or need not be; how it went; and when it is tried again.
      `create table notice (name text primary key, doc jsonb not null, position bigint not null, told_at timestamptz, tries int not null default 0,
        failing text, since timestamptz, next_at timestamptz, skipped int not null default 0)`,
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table notice');
    await q.query('alter table audit drop column about, drop column site');
  }
}
