import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Where backups go is a document of its own, and what was backed up is known. */
export class Backups1766300000000 implements MigrationInterface {
  name = 'Backups1766300000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      "create table backup_store (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null, site text generated always as (doc->>'site') stored not null references site(key))",
    );
    // The field of a charter that named a store was read by nothing.
    await q.query("update charter set doc = doc - 'objectStore' where doc ? 'objectStore'");
    await q.query("update charter_revision set doc = doc - 'objectStore' where doc ? 'objectStore'");
    await q.query("update template set doc = doc #- '{charter,objectStore}' where doc #> '{charter,objectStore}' is not null");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table backup_store');
  }
}
