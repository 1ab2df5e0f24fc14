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
  const counted = (name: string, help: string, label: string, sql: string) =>
    new Gauge({
      name,
      help,
      labelNames: [label],
      registers,
      async collect() {
        this.reset();
        const rows = (await ctx.db.query(sql).catch(() => [])) as { label: string; n: number }[];
        for (const r of rows) this.set({ [label]: r.label }, r.n);
      },
    });
  counted(
    'praesidor_builds',
    'Builds that have not ended well or been stopped, by state',
    'state',
    "select state as label, count(*)::int as n from run where kind = 'change' and state in ('queued', 'running', 'paused', 'failed') group by 1",
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
