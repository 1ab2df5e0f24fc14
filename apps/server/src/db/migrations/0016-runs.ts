import type { MigrationInterface, QueryRunner } from 'typeorm';

/** All long work is one thing: runs of steps, with events, a log and a state. A change of a cluster and work on hosts are kinds of it. */
export class Runs1765700000000 implements MigrationInterface {
  name = 'Runs1765700000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      `create table run (id serial primary key, kind text not null, subject text not null, exclusive text, site text not null, title text not null,
        steps jsonb not null, asked jsonb not null default '{}', status jsonb, upto bigint not null default 0, summary jsonb,
        state text not null check (state in ('queued', 'running', 'paused', 'failed', 'stopped', 'done')), admitted boolean not null default true,
        created_at timestamptz not null, created_by text not null, run_by text, ended_at timestamptz)`,
      "create unique index run_exclusive on run (exclusive) where state in ('queued', 'running', 'paused')",
      "create index run_open on run (kind, site) where state in ('queued', 'running', 'paused')",
      'create index run_newest on run (kind, id desc)',

      // What steps share stands in parts, and is not taken apart.
      `insert into run (id, kind, subject, exclusive, asked, site, title, steps, state, created_at, created_by, run_by)
        select id, 'change', charter || ' ' || number, 'Charter ' || charter, jsonb_build_object('charter', charter, 'number', number), coalesce(plan->'charter'->>'site', ''), title,
          coalesce((select jsonb_agg(case when s ? 'shares' then jsonb_set(s, '{shares}', jsonb_build_object('limit', split_part(s->>'shares', ' ', 1), 'of', split_part(s->>'shares', ' ', 2),
            'room', case split_part(s->>'shares', ' ', 1) when 'hypervisor' then 2 when 'controllers' then 16 else 8 end)) else s end order by n) from jsonb_array_elements(steps) with ordinality x(s, n)), '[]'),
          state, created_at, created_by, run_by from build`,
      "select setval('run_id_seq', coalesce((select max(id) from run), 0) + 1, false)",
      'alter table build_event rename to run_event',
      'alter table run_event rename column build to run',
      'alter table run_event drop constraint build_event_build_fkey',
      'alter table run_event add foreign key (run) references run(id) on delete cascade',
      'alter index build_event_build rename to run_event_run',
      'alter table build_log rename to run_log',
      'alter table run_log rename column build to run',
      'alter table run_log drop constraint build_log_build_fkey',
      'alter table run_log add foreign key (run) references run(id) on delete cascade',
      'alter index build_log_step rename to run_log_step',
      'drop index build_one_at_a_time',
      'alter table build drop column steps, drop column created_at, drop column created_by, drop column state, drop column run_by, drop column title',
      'alter table build alter column id drop default',
      'alter table build add foreign key (id) references run(id) on delete cascade',
      'drop sequence build_id_seq',

      // Work on hosts: an item was a host, and is a step now.
      "create temp table moved_work on commit drop as select w.*, nextval('run_id_seq')::int as run from host_work w order by id",
      `insert into run (id, kind, subject, site, title, steps, asked, state, created_at, created_by, run_by, ended_at, status)
        select run, 'work', run::text, site, title,
          (select coalesce(jsonb_agg(jsonb_build_object('id', i->>'host', 'lane', i->>'host', 'host', i->>'host', 'kind', kind, 'title', kind, 'after', '[]'::jsonb, 'p50', 60, 'p90', 300) order by n), '[]')
             from jsonb_array_elements(items) with ordinality x(i, n)),
          asked, case state when 'stopping' then 'stopped' else state end, created_at, created_by, created_by, ended_at,
          jsonb_build_object('state', case state when 'stopping' then 'stopped' else state end,
            'begun', to_char(created_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"'),
            'steps', (select coalesce(jsonb_object_agg(i->>'host', jsonb_build_object('state', case i->>'state' when 'stopped' then 'cut' else i->>'state' end, 'attempt', 1,
                'text', coalesce(i->>'text', ''), 'done', coalesce((i->>'percent')::numeric, 0), 'of', 100, 'healed', '[]'::jsonb)
              || case when i->>'remedy' is null then '{}' else jsonb_build_object('remedy', i->>'remedy') end
              || case when jsonb_typeof(i->'knows') = 'object' then jsonb_build_object('notes', i->'knows') else '{}' end), '{}') from jsonb_array_elements(items) i))
        from moved_work`,
      'drop table host_work',

      `create table run_lease (share text not null, run int not null references run(id) on delete cascade, step text not null, held boolean not null default false,
        since timestamptz not null default clock_timestamp(), asked timestamptz not null default clock_timestamp(), primary key (run, step))`,
      'create index run_lease_share on run_lease (share)',
      // Whoever holds fewest of a thing is next, then who has waited longest since it was given one; who has not asked for ten seconds waits no more.
      `create function take_lease(s text, r int, st text, room int) returns boolean language plpgsql as $$
        declare busy int; ahead int; mine run_lease; has int;
        begin
          perform pg_advisory_xact_lock(727017, hashtext(s));
          insert into run_lease (share, run, step) values (s, r, st) on conflict (run, step) do update set share = excluded.share, asked = clock_timestamp() returning * into mine;
          if mine.held then return true; end if;
          select count(*), count(*) filter (where run = r) into busy, has from run_lease where share = s and held;
          if busy >= room then return false; end if;
          select count(*) into ahead from run_lease w left join lateral (select count(*) as n from run_lease h where h.share = s and h.held and h.run = w.run) x on true
            where w.share = s and not w.held and w.asked > clock_timestamp() - interval '10 seconds' and (x.n, w.since, w.run, w.step) < (has, mine.since, r, st);
          if busy + ahead >= room then return false; end if;
          update run_lease set held = true where run = r and step = st;
          update run_lease set since = clock_timestamp() where share = s and run = r and not held;
          return true;
        end $$`,
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    for (const s of [
      'drop function take_lease(text, int, text, int)',
      'drop table run_lease',
      "create table host_work (id serial primary key, kind text not null, site text not null, title text not null, items jsonb not null, asked jsonb not null, state text not null default 'running', created_at timestamptz not null default now(), created_by text not null, ended_at timestamptz)",
      `insert into host_work (kind, site, title, items, asked, state, created_at, created_by, ended_at)
        select coalesce(steps->0->>'kind', 'read'), site, title,
          (select coalesce(jsonb_agg(jsonb_build_object('host', s->>'host', 'state', case status->'steps'->(s->>'id')->>'state' when 'cut' then 'stopped' when 'skipped' then 'done' else coalesce(status->'steps'->(s->>'id')->>'state', 'waiting') end,
            'percent', 0, 'text', coalesce(status->'steps'->(s->>'id')->>'text', ''))), '[]') from jsonb_array_elements(steps) s),
          asked, case when state in ('queued', 'paused') then 'running' else state end, created_at, created_by, ended_at from run where kind = 'work' order by id`,
      `alter table build add column steps jsonb, add column created_at timestamptz, add column created_by text, add column state text, add column run_by text, add column title text`,
      `update build b set state = r.state, created_at = r.created_at, created_by = r.created_by, run_by = r.run_by, title = r.title,
        steps = (select coalesce(jsonb_agg(case when s ? 'shares' then jsonb_set(s, '{shares}', to_jsonb((s->'shares'->>'limit') || ' ' || (s->'shares'->>'of'))) else s end order by n), '[]') from jsonb_array_elements(r.steps) with ordinality x(s, n))
        from run r where r.id = b.id`,
      'alter table build alter column steps set not null, alter column created_at set not null, alter column created_by set not null, alter column state set not null, alter column title set not null',
      "create unique index build_one_at_a_time on build (charter) where state in ('queued', 'running', 'paused')",
      'create sequence build_id_seq owned by build.id',
      "select setval('build_id_seq', coalesce((select max(id) from build), 0) + 1, false)",
      "alter table build alter column id set default nextval('build_id_seq')",
      'alter table build drop constraint build_id_fkey',
      "delete from run where kind = 'work'",
      'alter table run_event drop constraint run_event_run_fkey',
      'alter table run_event rename column run to build',
      'alter table run_event rename to build_event',
      'alter table build_event add constraint build_event_build_fkey foreign key (build) references build(id) on delete cascade',
      'alter index run_event_run rename to build_event_build',
      'alter table run_log drop constraint run_log_run_fkey',
      'alter table run_log rename column run to build',
      'alter table run_log rename to build_log',
      'alter table build_log add constraint build_log_build_fkey foreign key (build) references build(id) on delete cascade',
      'alter index run_log_step rename to build_log_step',
      'drop table run',
    ])
      await q.query(s);
  }
}
