import type { MigrationInterface, QueryRunner } from 'typeorm';

const one = (states: string) => `create unique index build_one_at_a_time on build (charter) where state in (${states})`;

/** A build is paused and continues; only hosts are held. */
export class Paused1764600000000 implements MigrationInterface {
  name = 'Paused1764600000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('drop index build_one_at_a_time');
    await q.query("update build set state = 'paused' where state = 'holding'");
    await q.query(one("'queued', 'running', 'paused'"));
    await q.query(`update build_event set data = jsonb_set(data, '{kind}', '"paused"') where data->>'kind' = 'held'`);
    await q.query(`update build_event set data = jsonb_set(data, '{kind}', '"continued"') where data->>'kind' = 'released'`);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop index build_one_at_a_time');
    await q.query("update build set state = 'holding' where state = 'paused'");
    await q.query(one("'queued', 'running', 'holding'"));
    await q.query(`update build_event set data = jsonb_set(data, '{kind}', '"held"') where data->>'kind' = 'paused'`);
    await q.query(`update build_event set data = jsonb_set(data, '{kind}', '"released"') where data->>'kind' = 'continued'`);
  }
}
