import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Where backups go is a document of its own, and what was backed up is known. */
export class Backups1766300000000 implements MigrationInterface {
  name = 'Backups1766300000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      "create table backup_store (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null, site text generated always as (doc->>'site') stored not null references site(key))",
    );
    await q.query(
      `create table volume_backup (id serial primary key, charter text not null, volume text not null, plan text, store text not null, name text not null,
        at timestamptz not null, ended timestamptz not null default now(), bytes bigint not null, sent bigint not null, blocks int not null, labels jsonb not null default '[]', made_by text not null,
        tried timestamptz, tried_good boolean, tried_text text, dropped timestamptz, unique (store, name))`,
    );
    await q.query('create index volume_backup_newest on volume_backup (charter, volume, at desc)');
    // When a plan was looked at last: what came since is due.
    await q.query(
      'create table backup_looked (charter text not null, plan text not null, what text not null, at timestamptz not null, primary key (charter, plan, what))',
    );
    // The field of a charter that named a store was read by nothing.
    await q.query("update charter set doc = doc - 'objectStore' where doc ? 'objectStore'");
    await q.query("update charter_revision set doc = doc - 'objectStore' where doc ? 'objectStore'");
    await q.query("update template set doc = doc #- '{charter,objectStore}' where doc #> '{charter,objectStore}' is not null");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table backup_looked');
    await q.query('drop table volume_backup');
    await q.query('drop table backup_store');
  }
}
