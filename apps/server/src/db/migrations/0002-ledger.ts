import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * The ledger over time: who had which address when, written by the database itself; a counter a network, which is
 * locked while addresses of it are given out; pools that may lie inside another when they say so.
 */
export class Ledger1764000000000 implements MigrationInterface {
  name = 'Ledger1764000000000';

  async up(q: QueryRunner): Promise<void> {
    const run = async (...statements: string[]) => {
      for (const s of statements) await q.query(s);
    };
    await run(
      "alter table network add column parent text generated always as (doc->>'parent') stored references network(key)",
      'create index network_parent on network (parent)',
      "alter table reservation add column mac text generated always as (doc->>'mac') stored",
      'alter table reservation add column until timestamptz',
      'create index reservation_mac on reservation (mac)',
      'create index reservation_until on reservation (until) where until is not null',
      // Spans: those that are declared inside another are held against each other, and must lie in it whole.
      'alter table span drop constraint spans_apart',
      "alter table span add column inside text not null default ''",
      'alter table span add constraint spans_apart exclude using gist (network with =, inside with =, run with &&)',
      `create or replace function spans_of_network() returns trigger language plpgsql as $$
      declare lost text; begin
        delete from span where network = new.key;
        insert into span (network, name, run, inside) select new.key, s->>'name', inetrange(split_part(s->>'range', '-', 1)::inet, coalesce(nullif(split_part(s->>'range', '-', 2), ''), split_part(s->>'range', '-', 1))::inet, '[]'), coalesce(s->>'inside', '')
          from jsonb_array_elements(coalesce(new.doc->'dhcp', '[]') || coalesce(new.doc->'pools', '[]')) s where position('/' in s->>'range') = 0;
        select i.name into lost from span i where i.network = new.key and i.inside <> '' and not exists (select 1 from span o where o.network = i.network and o.name = i.inside and o.run @> i.run) limit 1;
        if lost is not null then raise exception '%', lost using errcode = '23514', constraint = 'span_inside_another'; end if;
        return null; end $$`,
      `create or replace function address_in_network() returns trigger language plpgsql as $$
      declare a inet := (new.doc->>'address')::inet; n text := new.doc->>'network'; begin
        if not (select a <<= prefix from network where key = n) then
          raise exception 'outside' using errcode = '23514', constraint = 'reservation_inside_network'; end if;
        if exists (select 1 from network where parent = n and a <<= prefix) then
          raise exception 'carved' using errcode = '23514', constraint = 'reservation_in_child'; end if;
        new.until := (new.doc->>'until')::timestamptz;
        return new; end $$`,
      // The counter: its row is what two that give out addresses of one network wait for.
      'create table ledger_state (network text primary key references network(key) on delete cascade, seq bigint not null default 0)',
      'insert into ledger_state (network) select key from network',
      `create function network_moved() returns trigger language plpgsql as $$ begin
        insert into ledger_state (network) values (new.key) on conflict (network) do update set seq = ledger_state.seq + 1;
        return null; end $$`,
      'create trigger network_counted after insert or update on network for each row execute function network_moved()',
      `create function ledger_moved() returns trigger language plpgsql as $$ begin
        perform 1 from ledger_state where network in (select network from moved) order by network for update;
        update ledger_state set seq = seq + 1 where network in (select network from moved);
        return null; end $$`,
      'create trigger reservation_counted_in after insert on reservation referencing new table as moved for each statement execute function ledger_moved()',
      'create trigger reservation_counted_up after update on reservation referencing new table as moved for each statement execute function ledger_moved()',
      'create trigger reservation_counted_out after delete on reservation referencing old table as moved for each statement execute function ledger_moved()',
      // What was, and until when: added to, never changed but for its end.
      'create table reservation_history (id bigserial primary key, network text not null, address inet not null, since timestamptz not null, until timestamptz, doc jsonb not null, by text not null, recorded timestamptz not null default clock_timestamp())',
      'create index reservation_history_address on reservation_history (address, since)',
      'create index reservation_history_network on reservation_history (network, since)',
      "insert into reservation_history (network, address, since, doc, by) select network, address, coalesce((doc->>'since')::timestamptz, updated_at), doc, updated_by from reservation",
      `create function reservation_remembered() returns trigger language plpgsql as $$ begin
        if tg_op = 'UPDATE' and (new.doc - 'note') = (old.doc - 'note') then return null; end if;
        if tg_op <> 'INSERT' then
          update reservation_history set until = now() where network = old.network and address = old.address and until is null; end if;
        if tg_op <> 'DELETE' then
          insert into reservation_history (network, address, since, doc, by) values (new.network, new.address, case when tg_op = 'INSERT' then least(coalesce((new.doc->>'since')::timestamptz, now()), now()) else now() end, new.doc, new.updated_by); end if;
        return null; end $$`,
      'create trigger reservation_history_kept after insert or update or delete on reservation for each row execute function reservation_remembered()',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table ledger_state, reservation_history cascade');
  }
}
