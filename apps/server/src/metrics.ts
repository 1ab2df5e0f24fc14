import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import type { FastifyInstance } from 'fastify';
import type { Context } from './context.ts';

/**
 * What `/metrics` tells in the Prometheus text format: how requests fare, what is being done, and what does not work.
 * It names no document, person or secret.
 */
export async function metrics(app: FastifyInstance, { ctx }: { ctx: Context }) {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry, prefix: 'praesidor_' });
  const registers = [registry];
  const took = new Histogram({
    name: 'praesidor_request_seconds',
    help: 'How long requests took, by method, route and status',
    labelNames: ['method', 'route', 'status'],
    buckets: [0.005, 0.02, 0.05, 0.15, 0.25, 0.5, 1, 5, 20],
    registers,
  });
  const failedLogIns = new Counter({ name: 'praesidor_failed_log_ins_total', help: 'Log-ins that were refused', registers });
  new Gauge({
    name: 'praesidor_working',
    help: '1 where a part works, 0 where it does not: database, events, jobs',
    labelNames: ['part'],
    registers,
    async collect() {
      const database = await ctx.db.query('select 1').then(
        () => undefined,
        () => 'away',
      );
      for (const [part, fault] of Object.entries({ database, events: ctx.bus.fault, jobs: ctx.queue.fault }))
        this.set({ part }, fault ? 0 : 1);
    },
  });
  /** Without a label: one figure. */
  const counted = (name: string, help: string, label: string | undefined, sql: string) =>
    new Gauge({
      name,
      help,
      labelNames: label ? [label] : [],
      registers,
      async collect() {
        this.reset();
        const rows = (await ctx.db.query(sql).catch(() => [])) as { label?: string; n: number | null }[];
        for (const r of rows) this.set(label ? { [label]: r.label ?? '' } : {}, r.n ?? 0);
      },
    });
  counted(
    'praesidor_builds',
    'Builds that have not ended well or been stopped, by state',
    'state',
    "select state as label, count(*)::int as n from run where kind = 'change' and state in ('queued', 'running', 'paused', 'failed') group by 1",
  );
  counted(
    'praesidor_builds_ended',
    'Builds that ended in the last 24 hours, by how',
    'state',
    "select state as label, count(*)::int as n from run where kind = 'change' and ended_at > now() - interval '24 hours' group by 1",
  );
  counted(
    'praesidor_builds_waiting',
    'Builds that wait for their turn',
    undefined,
    "select count(*)::int as n from run where kind = 'change' and state = 'queued' and not admitted",
  );
  counted(
    'praesidor_build_seconds_waited',
    'How long the build waits that has waited longest for its turn',
    undefined,
    "select extract(epoch from now() - min(created_at))::int as n from run where kind = 'change' and state = 'queued' and not admitted",
  );
  counted(
    'praesidor_places_taken',
    'Places at what steps share that are taken',
    undefined,
    'select count(*)::int as n from run_lease where held',
  );
  counted(
    'praesidor_places_waited_for',
    'Steps that wait for a place at what they share',
    undefined,
    'select count(*)::int as n from run_lease where not held',
  );
  counted(
    'praesidor_step_seconds',
    'Median of how long steps took, by kind, over the last 100 builds that ended well',
    'kind',
    `select s->>'kind' as label, percentile_cont(0.5) within group (order by extract(epoch from (t->>'ended')::timestamptz - (t->>'started')::timestamptz)) as n
     from (select steps, status from run where kind = 'change' and state = 'done' order by id desc limit 100) r, jsonb_array_elements(r.steps) s,
       lateral (select r.status->'steps'->(s->>'id') as t) x where t->>'state' = 'done' and t ? 'started' and t ? 'ended' group by 1`,
  );
  counted(
    'praesidor_drifts',
    'Lines that were proved of a cluster and do not hold',
    undefined,
    'select count(*)::int as n from proof_line where not good',
  );
  counted(
    'praesidor_shipments',
    'Shipments that are under way or failed, by state',
    'state',
    "select state as label, count(*)::int as n from shipment where state in ('packing', 'landing', 'moving', 'waiting', 'queued', 'failed') group by 1",
  );
  counted(
    'praesidor_jobs',
    'Jobs that wait or run, by kind',
    'kind',
    "select name as label, count(*)::int as n from jobs.job where state in ('created', 'retry', 'active') and name not like '\\_\\_%' group by 1",
  );

  app.addHook('onResponse', async (req, reply) => {
    const route = req.routeOptions.url ?? 'other';
    took.observe({ method: req.method, route, status: String(reply.statusCode) }, reply.elapsedTime / 1000);
    if (route === '/api/sign-in' && reply.statusCode >= 400) failedLogIns.inc();
  });
  app.get('/metrics', { config: { open: true } }, async (_req, reply) =>
    reply
      .type(registry.contentType)
      .header('cache-control', 'no-store')
      .send(await registry.metrics()),
  );
}
