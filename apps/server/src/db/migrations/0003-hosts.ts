import type { MigrationInterface, QueryRunner } from 'typeorm';

const docs = (name: string, ...columns: string[]) =>
  `create table ${name} (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null${columns.map((c) => `, ${c}`).join('')})`;

/** Hosts as they live: hypervisors and moulds, facts over time, readings, long work on several hosts, sweeps that go on. */
export class Hosts1764100000000 implements MigrationInterface {
  name = 'Hosts1764100000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      docs('profile'),
      docs('mould'),
      docs('hypervisor', "site text generated always as (doc->>'site') stored not null references site(key)"),
      "update baseline set doc = doc || '{\"parts\": []}' where not doc ? 'parts'",
      // A machine that tells no serial is not the same machine as another that tells none.
      'alter table host drop column serial',
      "alter table host add column serial text generated always as (nullif(doc->'facts'->>'serial', '')) stored unique",
      'alter table sighting add column credential text',
      'create table host_facts (id bigserial primary key, host text not null, at timestamptz not null, source text not null, facts jsonb not null, changes jsonb not null)',
      'create index host_facts_host on host_facts (host, id)',
      'create table sensor_sample (host text not null, at timestamptz not null, name text not null, kind text not null, value double precision not null, unit text not null)',
      'create index sensor_sample_host on sensor_sample (host, at)',
      // Which passwords a controller was tried with, so that nobody is locked out by us.
      'create table bmc_try (address inet not null, credential text not null, kept_at timestamptz not null, at timestamptz not null default clock_timestamp(), good boolean not null)',
      'create index bmc_try_address on bmc_try (address, at)',
      "create table sweep (id serial primary key, site text not null, range text not null, next int not null default 0, total int not null, found int not null default 0, state text not null default 'running', created_at timestamptz not null default now(), created_by text not null)",
      "create table host_work (id serial primary key, kind text not null, site text not null, title text not null, items jsonb not null, asked jsonb not null, state text not null default 'running', created_at timestamptz not null default now(), created_by text not null, ended_at timestamptz)",
      'create index audit_subject on audit (subject)',
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table host_work, sweep, bmc_try, sensor_sample, host_facts, hypervisor, mould, profile');
    await q.query('alter table sighting drop column credential');
  }
}
