import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Whether a build may erase disks that hold anything. */
export class EraseDisks1764500000000 implements MigrationInterface {
  name = 'EraseDisks1764500000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('alter table build add column erase boolean not null default false');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table build drop column erase');
  }
}
