import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Losses that were tried are of one host or of several: by what was lost. */
export class Losses1766500000000 implements MigrationInterface {
  name = 'Losses1766500000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      "update observation set data = jsonb_build_object('cases', data->'hosts') where kind = 'losses' and data ? 'hosts'",
    );
    await q.query(
      "update run set asked = jsonb_build_object('case', asked->'host', 'hosts', jsonb_build_array(asked->'host')) where kind = 'loss' and asked ? 'host'",
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query(
      "update observation set data = jsonb_build_object('hosts', data->'cases') where kind = 'losses' and data ? 'cases'",
    );
    await q.query("update run set asked = jsonb_build_object('host', asked->'case') where kind = 'loss' and asked ? 'case'");
  }
}
