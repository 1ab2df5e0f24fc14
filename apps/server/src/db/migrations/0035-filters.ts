import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Filters of tables that somebody keeps under a name. */
export class Filters1767600000000 implements MigrationInterface {
  name = 'Filters1767600000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      `create table account_filter (login text not null references account(login) on delete cascade, page text not null, name text not null,
         query text not null, primary key (login, page, name))`,
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table account_filter');
  }
}
