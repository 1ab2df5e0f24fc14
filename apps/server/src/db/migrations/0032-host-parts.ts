import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What is declared of a host, what acts came to and what was read of it stand apart, each with a version of its own. */
export class HostParts1767300000000 implements MigrationInterface {
  name = 'HostParts1767300000000';

  async up(q: QueryRunner): Promise<void> {
    const part = (name: string, columns: string) =>
      `create table ${name} (key text primary key references host(key) on delete cascade, ${columns}, version int not null default 1, updated_at timestamptz not null default now(), updated_by text not null)`;
    await q.query(part('host_state', "doc jsonb not null, held_by text generated always as (doc->'held'->>'charter') stored"));
    await q.query('create index host_state_held_by on host_state (held_by)');
    await q.query(part('host_seen', "facts jsonb, serial text generated always as (nullif(facts->>'serial', '')) stored unique"));
    const set = "'state', 'held', 'drained', 'wiped'";
    await q.query(
      `insert into host_state (key, doc, updated_at, updated_by) select key, (select coalesce(jsonb_object_agg(k, v), '{}') from jsonb_each(doc) e(k, v) where k in (${set})), updated_at, updated_by from host`,
    );
    await q.query(
      "insert into host_seen (key, facts, updated_at, updated_by) select key, doc->'facts', updated_at, updated_by from host",
    );
    await q.query('alter table host drop column held_by, drop column serial');
    await q.query(`update host set doc = doc - array[${set}, 'facts']`);
    // The version is that of the plan: what acts set and what is read of a machine is nobody's edit.
    await q.query(
      `create view whole_host as select h.key,
         h.doc || s.doc || case when f.facts is null then '{}'::jsonb else jsonb_build_object('facts', f.facts) end as doc,
         h.version, greatest(h.updated_at, s.updated_at, f.updated_at) as updated_at,
         case greatest(h.updated_at, s.updated_at, f.updated_at) when h.updated_at then h.updated_by when s.updated_at then s.updated_by else f.updated_by end as updated_by,
         h.site, h.bmc_address, f.serial, s.held_by,
         concat_ws(' ', h.xmin, h.ctid, s.xmin, s.ctid, f.xmin, f.ctid) as row_version
       from host h join host_state s on s.key = h.key join host_seen f on f.key = h.key`,
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('update host h set doc = w.doc from whole_host w where w.key = h.key');
    await q.query('drop view whole_host');
    await q.query('drop table host_state, host_seen');
    await q.query(
      "alter table host add column serial text generated always as (nullif(doc->'facts'->>'serial', '')) stored unique",
    );
    await q.query("alter table host add column held_by text generated always as (doc->'held'->>'charter') stored");
  }
}
