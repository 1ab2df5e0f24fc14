import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What a standby copy holds: for each of its volumes, of when it is; and whether it was activated. */
export class Standbys1766400000000 implements MigrationInterface {
  name = 'Standbys1766400000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      `create table standby (charter text not null, workload text not null, state text not null default 'follows' check (state in ('follows', 'active')),
        holds jsonb not null default '{}', whole boolean not null default false, fault text, looked timestamptz,
        since timestamptz, activated_by text, ended boolean not null default true, primary key (charter, workload))`,
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table standby');
  }
}
