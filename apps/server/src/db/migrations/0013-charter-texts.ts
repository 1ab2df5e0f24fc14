import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Charters as somebody wrote them, with their comments; what they say is in the document. */
export class CharterTexts1765100000000 implements MigrationInterface {
  name = 'CharterTexts1765100000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      'create table charter_text (charter text primary key references charter(key) on delete cascade, text text not null check (length(text) <= 1000000))',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table charter_text');
  }
}
