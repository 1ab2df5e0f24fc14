import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A table of documents with columns generated from them. */
const docs = (name: string, columns: string[] = [], constraints: string[] = []) =>
  `create table ${name} (key text primary key, doc jsonb not null, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null${columns.map((c) => `, ${c}`).join('')}${constraints.map((c) => `, ${c}`).join('')})`;
const from = (column: string, type: string, path: string, more = '') =>
  `${column} ${type} generated always as ((${path})${type === 'text' ? '' : `::${type}`}) stored ${more}`;

export class First1763900000000 implements MigrationInterface {
  name = 'First1763900000000';

  async up(q: QueryRunner): Promise<void> {
    const run = async (...statements: string[]) => {
      for (const s of statements) await q.query(s);
    };
    await run(
      'create extension if not exists btree_gist',
      'create type inetrange as range (subtype = inet)',
      docs('site'),
      docs('network', [
        from('site', 'text', "doc->>'site'", 'not null references site(key)'),
        from('prefix', 'cidr', "doc->>'prefix'", 'not null'),
        from('vlan', 'int', "doc->>'vlan'"),
      ]),
      docs('zone', [from('site', 'text', "doc->>'site'", 'not null references site(key)')]),
      docs('baseline'),
      docs('host', [
        from('site', 'text', "doc->>'site'", 'not null references site(key)'),
        from('bmc_address', 'inet', "doc->'bmc'->>'address'", 'unique'),
        from('serial', 'text', "doc->'facts'->>'serial'", 'unique'),
        from('held_by', 'text', "doc->'held'->>'charter'"),
      ]),
      docs('registry', [from('site', 'text', "doc->>'site'", 'not null references site(key)')]),
      docs('release'),
      docs('addon'),
      docs('charter', [from('site', 'text', "doc->>'site'", 'not null references site(key)')]),
      docs(
        'reservation',
        [
          from('network', 'text', "doc->>'network'", 'not null references network(key)'),
          from('address', 'inet', "doc->>'address'", 'not null'),
          from('name', 'text', "doc->>'name'"),
        ],
        ['constraint reservation_address_once unique (network, address)'],
      ),
      docs('name_record', [from('zone', 'text', "doc->>'zone'", 'not null references zone(key)')]),
      // Pools and DHCP scopes, kept by a trigger from the network's document: no two of one network may overlap.
      `create table span (network text not null references network(key) on delete cascade, name text not null, run inetrange not null, constraint spans_apart exclude using gist (network with =, run with &&))`,
      `create function spans_of_network() returns trigger language plpgsql as $$ begin
        delete from span where network = new.key;
        insert into span select new.key, s->>'name', inetrange(split_part(s->>'range', '-', 1)::inet, coalesce(nullif(split_part(s->>'range', '-', 2), ''), split_part(s->>'range', '-', 1))::inet, '[]')
          from jsonb_array_elements(coalesce(new.doc->'dhcp', '[]') || coalesce(new.doc->'pools', '[]')) s where position('/' in s->>'range') = 0;
        return null; end $$`,
      'create trigger network_spans after insert or update on network for each row execute function spans_of_network()',
      `create function address_in_network() returns trigger language plpgsql as $$ begin
        if not (select (new.doc->>'address')::inet <<= prefix from network where key = new.doc->>'network') then
          raise exception 'outside' using errcode = '23514', constraint = 'reservation_inside_network'; end if;
        return new; end $$`,
      'create trigger reservation_inside before insert or update on reservation for each row execute function address_in_network()',
      "create table account (login text primary key, name text not null, role text not null check (role in ('reader','planner','builder','warden')), password_hash text not null)",
      'create table session (token_hash text primary key, login text not null references account(login) on delete cascade, csrf text not null, expires_at timestamptz not null)',
      'create table keyring (name text primary key, use text not null, user_name text not null, sealed bytea not null, created_at timestamptz not null, created_by text not null)',
      'create table cluster_secret (charter text not null, name text not null, sealed bytea not null, about jsonb not null, primary key (charter, name))',
      'create table charter_revision (charter text not null, revision int not null, doc jsonb not null, at timestamptz not null, by text not null, note text not null, primary key (charter, revision))',
      'create table sighting (address inet primary key, site text not null, at timestamptz not null, fingerprint text not null, accepted boolean not null, error text, facts jsonb, place jsonb)',
      'create table observation (kind text not null, subject text not null, at timestamptz not null, data jsonb not null, primary key (kind, subject))',
      'create table served_by_us (zone text not null, record text not null, primary key (zone, record))',
      `create table shipment (id serial primary key, label text not null unique, source text not null, target text not null, way text not null, bills jsonb not null, state text not null, error text, created_at timestamptz not null, created_by text not null, started_at timestamptz, ended_at timestamptz, bytes bigint not null, paper bigint not null, moved_bytes bigint not null default 0, phase text not null, rate bigint not null default 0, resumed int not null default 0)`,
      'create table shipment_item (shipment int not null references shipment(id) on delete cascade, digest text not null, repository text not null, kind text not null, bytes bigint not null, paper bigint not null, state text not null, tag text, position int not null, primary key (shipment, digest, repository))',
      'create table build (id serial primary key, charter text not null, number int not null, revision int not null, plan jsonb not null, steps jsonb not null, created_at timestamptz not null, created_by text not null, state text not null, proof jsonb, unique (charter, number))',
      "create unique index build_one_at_a_time on build (charter) where state in ('queued', 'running', 'holding')",
      'create table build_event (id bigserial primary key, build int not null references build(id) on delete cascade, data jsonb not null)',
      'create index build_event_build on build_event (build, id)',
      'create table build_log (id bigserial primary key, build int not null references build(id) on delete cascade, step text not null, at timestamptz not null default clock_timestamp(), level text not null, line text not null)',
      'create index build_log_step on build_log (build, step, id)',
      'create table build_report (id bigserial primary key, build int not null references build(id) on delete cascade, host text not null, at timestamptz not null default clock_timestamp(), data jsonb not null)',
      'create index build_report_host on build_report (build, host, id)',
      'create table build_gate (build int not null references build(id) on delete cascade, host text not null, primary key (build, host))',
      'create table boot_token (token_hash text primary key, build int not null references build(id) on delete cascade, host text not null)',
      'create table running_job (job text primary key, queue text not null, worker int not null)',
      'create table audit (id bigserial primary key, at timestamptz not null default clock_timestamp(), who text not null, act text not null, subject text not null, detail jsonb not null, inverse jsonb, undone_by bigint)',
      'create table event (id bigserial primary key, at timestamptz not null default clock_timestamp(), kind text not null, subject text not null)',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop schema public cascade');
    await q.query('create schema public');
  }
}
