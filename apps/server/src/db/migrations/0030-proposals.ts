import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Sets of changes that are kept as drafts, what people say of them, and who approved what; and which runs wait until a second
 * person has approved them. A run that waits is never admitted, whatever the application does.
 */
export class Proposals1767100000000 implements MigrationInterface {
  name = 'Proposals1767100000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`create table proposal (
      id int primary key generated always as identity,
      title text not null,
      why text not null default '',
      state text not null default 'open' check (state in ('open', 'made', 'withdrawn')),
      by text not null,
      writers text[] not null,
      changes jsonb not null,
      documents int not null,
      sites text[] not null default '{}',
      teams text[] not null default '{}',
      created_at timestamptz not null default now(),
      updated_at timestamptz not null default now(),
      closed_at timestamptz,
      closed_by text,
      act bigint,
      check ((state = 'open') = (closed_at is null)))`);
    await q.query('create index proposal_open on proposal (state, id)');
    await q.query(
      'create table proposal_comment (id int primary key generated always as identity, proposal int not null references proposal on delete cascade, by text not null, at timestamptz not null default now(), text text not null)',
    );
    await q.query('create index proposal_comment_of on proposal_comment (proposal, id)');
    // Of what somebody approved, the digest: it holds for exactly that.
    await q.query(
      'create table proposal_approval (proposal int not null references proposal on delete cascade, by text not null, at timestamptz not null default now(), digest text not null, primary key (proposal, by))',
    );
    await q.query(
      "alter table run add column approval text check (approval in ('asked', 'given')), add column approved_by text, add column approved_at timestamptz, add check ((approval is not distinct from 'given') = (approved_by is not null)), add check (approval is distinct from 'asked' or not admitted), add check (approved_by <> created_by)",
    );
    await q.query("create index run_asks on run (id) where approval = 'asked'");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table run drop column approval, drop column approved_by, drop column approved_at');
    await q.query('drop table proposal_approval');
    await q.query('drop table proposal_comment');
    await q.query('drop table proposal');
  }
}
