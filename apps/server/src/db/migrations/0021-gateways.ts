import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What joins networks: gateways, with their members. */
export class Gateways1766200000000 implements MigrationInterface {
  name = 'Gateways1766200000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      "create table gateway (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null, site text generated always as (doc->>'site') stored not null references site(key))",
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table gateway');
  }
}
