import * as answers from '@praesidor/contract';
import type { App } from './app-type.ts';
import type { Context } from './context.ts';

/** Whether a process lives, and whether it can do its work: for whoever watches over it. */
export async function alive(app: App, { ctx }: { ctx: Context }) {
  app.get('/api/health', { config: { open: true }, schema: { response: { '2xx': answers.Alive } } }, async () => ({ ok: true }));
  app.get(
    '/api/ready',
    { config: { open: true }, schema: { response: { '2xx': answers.Ready, '5xx': answers.Ready } } },
    async (_req, reply) => {
      const database = await ctx.db.query('select 1').then(
        () => undefined,
        (e: Error) => e.message || 'it does not answer',
      );
      const faults = { database, events: ctx.bus.fault, jobs: ctx.queue.fault };
      const ready = Object.values(faults).every((f) => f === undefined);
      const checks = Object.entries(faults).map(([name, why]) => ({ name, ready: why === undefined, ...(why ? { why } : {}) }));
      return reply.status(ready ? 200 : 503).send({ ready, checks });
    },
  );
}
