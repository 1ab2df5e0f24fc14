import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Hosts of a build whose disks may be erased, whatever they hold. */
export class EraseDisks1764500000000 implements MigrationInterface {
  name = 'EraseDisks1764500000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query("alter table build add column erase text[] not null default '{}'");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table build drop column erase');
  }
}
