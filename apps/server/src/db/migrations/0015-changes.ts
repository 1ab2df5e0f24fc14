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
    // Hosts that serve know what they were installed with last: the release, and the build that laid out their disks.
    await q.query(`update host h set doc = h.doc || jsonb_build_object('held', h.doc->'held' || jsonb_build_object('release', b.release, 'installed', 'build ' || b.id))
      from (select distinct on (charter) id, charter, plan, plan->'charter'->>'release' as release from build where state = 'done' order by charter, id desc) b
      where h.doc->'held'->>'charter' = b.charter and h.doc->>'state' = 'serving' and b.release is not null
        and exists (select 1 from jsonb_array_elements(b.plan->'nodes') n where n->>'host' = h.key)`);
    // What etcd held before its members were changed, sealed piece by piece.
    await q.query(`create table etcd_backup (id serial primary key, charter text not null, build int references build(id) on delete set null,
      member text not null, at timestamptz not null default now(), bytes bigint not null default 0, sha256 text, kept boolean not null default false)`);
    await q.query(
      'create table etcd_backup_piece (backup int not null references etcd_backup(id) on delete cascade, n int not null, sealed bytea not null, primary key (backup, n))',
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table etcd_backup_piece');
    await q.query('drop table etcd_backup');
    await q.query('alter table build drop column kind, drop column title, drop column moves, drop column decided');
  }
}
