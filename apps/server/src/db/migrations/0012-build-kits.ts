import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What a build wrote, without its secrets: files by path, as JSON that is compressed (gzip). */
export class BuildKits1765000000000 implements MigrationInterface {
  name = 'BuildKits1765000000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('create table build_kit (build int primary key references build(id) on delete cascade, files bytea not null)');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table build_kit');
  }
}
