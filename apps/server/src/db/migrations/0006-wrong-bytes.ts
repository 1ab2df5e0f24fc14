import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Blobs of a shipment that arrived with other bytes. */
export class WrongBytes1764400000000 implements MigrationInterface {
  name = 'WrongBytes1764400000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query("alter table shipment add column wrong text[] not null default '{}'");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table shipment drop column wrong');
  }
}
