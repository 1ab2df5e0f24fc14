import type { MigrationInterface, QueryRunner } from 'typeorm';

/** When somebody was here last, and when the visit before that ended: what changed meanwhile is told. */
export class Visits1767500000000 implements MigrationInterface {
  name = 'Visits1767500000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('alter table account add column here_at timestamptz, add column left_at timestamptz');
    await q.query('update account a set here_at = (select max(seen_at) from session s where s.login = a.login)');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table account drop column here_at, drop column left_at');
  }
}
