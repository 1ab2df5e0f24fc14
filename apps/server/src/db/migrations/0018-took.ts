import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How long each step took that came to a good end, by what later ones are estimated; and when a run was said to end, at its begin. */
export class Took1765900000000 implements MigrationInterface {
  name = 'Took1765900000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      'create table step_took (id bigserial primary key, run int not null, kind text not null, model text not null, size double precision not null, seconds double precision not null)',
      'create index step_took_kind on step_took (kind, id)',
      // In seconds from its begin: the middle of what may come, and between which moments in eight cases of ten.
      'alter table run add column said jsonb',
      // What was built before: on which models, its plan knows; how much each step had to do does not stand there.
      `insert into step_took (run, kind, model, size, seconds)
        select r.id, s->>'kind', coalesce((select case when n ? 'guest' then 'mould ' || (n->'guest'->>'mould') else (n->'facts'->>'maker') || ' ' || (n->'facts'->>'model') end
            from jsonb_array_elements(b.plan->'nodes') n where n->>'host' = s->>'host' limit 1), ''), 1,
          extract(epoch from (t->>'ended')::timestamptz - (t->>'started')::timestamptz)
        from run r left join build b on b.id = r.id, jsonb_array_elements(r.steps) s, lateral (select r.status->'steps'->(s->>'id') as t) x
        where r.state = 'done' and t->>'state' = 'done' and t ? 'started' and t ? 'ended' order by r.id`,
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table run drop column said');
    await q.query('drop table step_took');
  }
}
