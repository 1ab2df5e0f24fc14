import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Bundles of the plan that go to other installations and come from them, and what was brought of changes there. */
export class Bundles1767400000000 implements MigrationInterface {
  name = 'Bundles1767400000000';

  async up(q: QueryRunner): Promise<void> {
    // The sites at which an installation stands that is trusted here.
    await q.query("alter table trusted_instance add column sites text[] not null default '{}'");
    await q.query(
      `create table bundle (id serial primary key, key text not null, way text not null check (way in ('to', 'from')), number int not null,
         made timestamptz not null, made_by text not null, sites text[] not null, revision bigint not null, taken int not null,
         state text not null check (state in ('made', 'waiting', 'taken')), documents jsonb, changes jsonb not null default '[]',
         content bytea, bytes int not null, sha256 text not null,
         at timestamptz not null default now(), by text not null, taken_at timestamptz, taken_by text, unique (key, way, number))`,
    );
    await q.query(
      `create table brought_change (key text not null, charter text not null, number int not null, about jsonb not null, evidence bytea not null,
         bundle int not null, at timestamptz not null default now(), primary key (key, charter, number))`,
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table brought_change, bundle');
    await q.query("delete from observation where kind = 'heard'");
    await q.query('alter table trusted_instance drop column sites');
  }
}
