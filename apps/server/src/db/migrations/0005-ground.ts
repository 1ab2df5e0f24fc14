import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Events in the order in which their transactions were committed, with who and which fields; acts with the documents before
 * and after, and what it takes to undo them; places of keyring entries; boot addresses that end; accounts that can be disabled.
 */
export class Ground1764300000000 implements MigrationInterface {
  name = 'Ground1764300000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      // The position is drawn when the transaction is about to be committed, under a lock that it holds until it is: whoever
      // sees a position sees every smaller one, and no later commit can slip under it.
      'alter table event add column position bigint',
      "alter table event add column by text not null default ''",
      "alter table event add column fields text[] not null default '{}'",
      'update event set position = id',
      'create sequence event_position',
      "select setval('event_position', greatest(1, (select coalesce(max(id), 1) from event)))",
      'create unique index event_by_position on event (position)',
      'create index event_not_placed on event (id) where position is null',
      'create index event_of_subject on event (kind, subject, position)',
      `create function place_events() returns void language plpgsql set enable_seqscan to off as $$
      declare e record; n int; begin
        perform pg_advisory_xact_lock(727010);
        -- What others have not committed yet is not seen here: these are the rows of this transaction.
        update event set position = o.p from (select id, nextval('event_position') as p from (select id from event where position is null order by id offset 0) s) o where event.id = o.id;
        get diagnostics n = row_count;
        if n <= 500 then
          for e in select position, kind, subject from event where position > currval('event_position') - n order by position loop
            perform pg_notify('praesidor', json_build_object('id', e.position, 'kind', e.kind, 'subject', e.subject)::text);
          end loop;
        else
          perform pg_notify('praesidor', json_build_object('id', currval('event_position'), 'kind', 'Many', 'subject', '')::text);
        end if; end $$`,
      // Asked once for every row: the first places all that there are, and the others see by a setting of their transaction
      // that they are placed. Ids grow within a transaction, so that a row inserted later is seen to be later.
      `create function event_placed() returns trigger language plpgsql as $$ begin
        if new.id <= coalesce(nullif(current_setting('praesidor.placed', true), ''), '0')::bigint then return null; end if;
        perform place_events();
        perform set_config('praesidor.placed', currval(pg_get_serial_sequence('event', 'id'))::text, true);
        return null; end $$`,
      'create constraint trigger event_positions after insert on event deferrable initially deferred for each row execute function event_placed()',

      'alter table audit add column changes jsonb',
      "alter table audit add column under text not null default 'plan.edit'",
      'alter table audit drop column inverse',

      "alter table keyring add column places jsonb not null default '[]'",
      // What an entry was used for until now it may be used for; anything else is for a warden to add.
      `update keyring k set places = coalesce((select jsonb_agg(d.place order by d.place) from (
         select 'Host ' || key as place, doc->'bmc'->>'credential' as entry from host
         union all select 'Registry ' || key, doc->>'credential' from registry
         union all select 'Hypervisor ' || key, doc->>'credential' from hypervisor
         union all select 'Zone ' || key, doc->>'key' from zone) d where d.entry = k.name), '[]')`,

      'alter table build add column boot_epoch int not null default 1',
      'alter table build add column run_by text',
      'alter table shipment add column run_by text, add column unverified text, add column accepted_by text',
      'drop table boot_token',
      "create table boot_token (token_hash text primary key, build int not null references build(id) on delete cascade, host text not null, opens text not null check (opens in ('files', 'reports')), until timestamptz not null)",
      'create index boot_token_build on boot_token (build)',

      // Who this installation is to others: a key that signs shipments, and whose signatures are believed here.
      'create table instance_key (name text primary key, sealed bytea not null, public_key text not null, created_at timestamptz not null default now())',
      'create table trusted_instance (name text primary key, public_key text not null unique, added_at timestamptz not null default now(), added_by text not null)',

      'alter table account add column disabled boolean not null default false',
      'alter table account add column changed_at timestamptz not null default now()',
      'alter table session add column id uuid not null default gen_random_uuid()',
      'alter table session add column created_at timestamptz not null default now()',
      'alter table session add column seen_at timestamptz not null default now()',
      "alter table session add column address text not null default ''",
      "alter table session add column agent text not null default ''",
      'create index session_login on session (login)',
      // Failed log-ins, by account and by where they came from.
      'create table sign_in_failure (login text not null, address text not null, at timestamptz not null default clock_timestamp())',
      'create index sign_in_failure_at on sign_in_failure (at)',
      'create index sign_in_failure_login on sign_in_failure (login, at)',
      'create index sign_in_failure_address on sign_in_failure (address, at)',
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    for (const s of [
      'drop table sign_in_failure, instance_key, trusted_instance',
      'drop index session_login',
      'alter table session drop column id, drop column created_at, drop column seen_at, drop column address, drop column agent',
      'alter table account drop column disabled, drop column changed_at',
      'drop table boot_token',
      'create table boot_token (token_hash text primary key, build int not null references build(id) on delete cascade, host text not null)',
      'alter table shipment drop column run_by, drop column unverified, drop column accepted_by',
      'alter table build drop column boot_epoch, drop column run_by',
      'alter table keyring drop column places',
      'alter table audit add column inverse jsonb',
      'alter table audit drop column changes, drop column under',
      'drop trigger event_positions on event',
      'drop function event_placed',
      'drop function place_events',
      'drop index event_by_position, event_not_placed, event_of_subject',
      'alter table event drop column position, drop column by, drop column fields',
      'drop sequence event_position',
    ])
      await q.query(s);
  }
}
