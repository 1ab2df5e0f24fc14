import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What was measured, or confirmed by somebody, of what a build needs. */
export class Prerequisites1765200000000 implements MigrationInterface {
  name = 'Prerequisites1765200000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`create table prerequisite (
      charter text not null references charter(key) on delete cascade,
      id text not null,
      state text not null check (state in ('good', 'bad', 'confirmed')),
      said text not null,
      at timestamptz not null,
      by text not null,
      primary key (charter, id)
    )`);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table prerequisite');
  }
}
