import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Teams, who is in them, and what people may do at single sites. */
export class Teams1766700000000 implements MigrationInterface {
  name = 'Teams1766700000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      'create table team (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null)',
    );
    await q.query("alter table charter add column team text generated always as (doc->>'team') stored references team(key)");
    await q.query('create index charter_team on charter (team)');
    await q.query(
      "create index reservation_charter on reservation ((doc->'owner'->>'name')) where doc->'owner'->>'kind' = 'charter'",
    );
    await q.query(
      'create table account_team (login text not null references account(login) on delete cascade, team text not null references team(key) on delete cascade, primary key (login, team))',
    );
    // More than the role of the account, at single sites: {"lr": "builder"}.
    await q.query("alter table account add column sites jsonb not null default '{}'");
    // Acts that were asked for with a key: the same key is answered with the same answer, and nothing is done twice.
    await q.query(
      'create table asked_once (login text not null references account(login) on delete cascade, key text not null, asked text not null, at timestamptz not null default now(), status int, answer text, primary key (login, key))',
    );
    await q.query('create index asked_once_at on asked_once (at)');
    await q.query('alter table token add column sites text[], add column team text');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table asked_once');
    await q.query('alter table token drop column sites, drop column team');
    await q.query('alter table account drop column sites');
    await q.query('drop index reservation_charter');
    await q.query('drop table account_team');
    await q.query('alter table charter drop column team');
    await q.query('drop table team');
  }
}
