import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Images: shipments in several cases, one after another, by the clock; pulls kept; what scrubs found. */
export class Images1764200000000 implements MigrationInterface {
  name = 'Images1764200000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      'alter table shipment add column after text references shipment(label)',
      'alter table shipment add column case_bytes bigint',
      'alter table shipment add column waybill jsonb',
      'alter table shipment add column resume_at timestamptz',
      'alter table shipment_item add column upload text',
      "update shipment_item set state = 'wanted' where state = 'cased'",
      "create table shipment_case (shipment int not null references shipment(id) on delete cascade, number int not null, bytes bigint not null, state text not null, bad jsonb not null default '[]', landed_at timestamptz, primary key (shipment, number))",
      // One line of a registry's log a row; the same line read twice is one row.
      'create table pull (registry text not null, at timestamptz not null, client text not null, user_name text not null, agent text not null, host text, kind text not null, repository text not null, reference text not null, digest text not null, status int not null, unique nulls not distinct (registry, at, client, agent, kind, repository, reference, digest, status))',
      'create index pull_registry_at on pull (registry, at)',
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table pull, shipment_case');
    await q.query('alter table shipment drop column after, drop column case_bytes, drop column waybill, drop column resume_at');
    await q.query('alter table shipment_item drop column upload');
  }
}
