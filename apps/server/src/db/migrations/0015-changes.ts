import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A build is one kind of change to a cluster; each knows whom it brings in and whom it takes out. */
export class Changes1765300000000 implements MigrationInterface {
  name = 'Changes1765300000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      `alter table build add column kind text not null default 'build', add column title text not null default '', add column moves jsonb,
      add column decided jsonb not null default '{}'`,
    );
    await q.query(`update build set title = 'Build ' || charter,
      moves = jsonb_build_object('joins', coalesce((select jsonb_agg(n->>'host') from jsonb_array_elements(plan->'nodes') n), '[]'), 'leaves', '[]'::jsonb, 'stands', '[]'::jsonb)`);
    await q.query(
      'alter table build alter column moves set not null, alter column kind drop default, alter column title drop default',
    );
    // What etcd held before its members were changed, sealed piece by piece.
    await q.query(`create table etcd_backup (id serial primary key, charter text not null, build int references build(id) on delete set null,
      member text not null, at timestamptz not null default now(), bytes bigint not null default 0, sha256 text, kept boolean not null default false)`);
    await q.query(
      'create table etcd_backup_piece (backup int not null references etcd_backup(id) on delete cascade, n int not null, sealed bytea not null, primary key (backup, n))',
    );
    // Of a cluster at most one change is under way; of several that an earlier version began, the last goes on.
    await q.query(`with older as (update build b set state = 'stopped' where state in ('queued', 'running', 'paused')
        and exists (select 1 from build n where n.charter = b.charter and n.id > b.id and n.state in ('queued', 'running', 'paused')) returning id)
      insert into build_event (build, data) select id, jsonb_build_object('kind', 'stopped', 'at', to_char(now() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')) from older`);
    await q.query(`create unique index one_change_under_way on build (charter) where state in ('queued', 'running', 'paused')`);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table etcd_backup_piece');
    await q.query('drop table etcd_backup');
    await q.query('drop index one_change_under_way');
    await q.query('alter table build drop column kind, drop column title, drop column moves, drop column decided');
  }
}
