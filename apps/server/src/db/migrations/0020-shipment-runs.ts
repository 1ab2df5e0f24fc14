import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Shipments are carried out by the engine that carries out all long work: what is under way of them is a run. */
export class ShipmentRuns1766100000000 implements MigrationInterface {
  name = 'ShipmentRuns1766100000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(
      `insert into run (kind, subject, site, title, steps, asked, state, created_at, created_by, run_by)
        select 'shipment', s.label, coalesce((select doc->>'site' from registry where key = s.target), ''), 'Shipment ' || s.label,
          jsonb_build_array(jsonb_build_object('id', p.phase, 'lane', s.target, 'kind', p.phase, 'title', p.phase, 'after', '[]'::jsonb, 'p50', 600, 'p90', 7200)),
          '{}', 'queued', now(), coalesce(s.run_by, s.created_by), coalesce(s.run_by, s.created_by)
        from shipment s, lateral (select case s.state when 'packing' then 'pack' when 'landing' then 'land' else 'move' end as phase) p
        where s.state in ('packing', 'landing', 'moving', 'waiting') order by s.id`,
    );
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query("delete from run where kind = 'shipment'");
    await q.query(
      "update shipment set state = 'stopped', resume_at = null, ended_at = now() where state in ('packing', 'landing', 'moving', 'waiting')",
    );
  }
}
