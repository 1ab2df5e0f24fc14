import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Findings that somebody lives with: as they were said, for a reason, until a day. */
export class Acceptances1764800000000 implements MigrationInterface {
  name = 'Acceptances1764800000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`create table acceptance (
      finding text primary key check (length(finding) <= 2000),
      text text not null check (length(text) <= 4000),
      reason text not null check (length(reason) between 3 and 400),
      by text not null,
      at timestamptz not null default now(),
      until timestamptz not null check (until > at and until <= at + interval '400 days')
    )`);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table acceptance');
  }
}
