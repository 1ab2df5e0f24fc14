import type { FastifyInstance } from 'fastify';
import type { Context } from '../context.ts';
import type { BusEvent } from './bus.ts';

/** Server-sent events; what was missed since `Last-Event-ID` is sent first. */
export async function events(app: FastifyInstance, { ctx }: { ctx: Context }) {
  app.get('/api/events', { config: { role: 'reader' } }, async (req, reply) => {
    reply.hijack();
    reply.raw.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
    const send = (e: BusEvent) => reply.raw.write(`${e.id ? `id: ${e.id}\n` : ''}data: ${JSON.stringify(e)}\n\n`);
    const off = ctx.bus.on(send);
    const beat = setInterval(() => {
      // A stream outlives the request that was let in: who has signed out is told nothing more.
      void app.stillSignedIn(req).then(
        (stands) => (stands ? reply.raw.write(': still here\n\n') : reply.raw.end()),
        () => reply.raw.end(),
      );
    }, 15_000);
    reply.raw.on('close', () => {
      off();
      clearInterval(beat);
    });
    reply.raw.write('retry: 1000\n\n');
    const last = Number(req.headers['last-event-id'] ?? 0);
    if (last > 0)
      for (const e of (await ctx.db.manager.query(
        'select id::int, kind, subject from event where id > $1 order by id limit 1000',
        [last],
      )) as BusEvent[])
        send(e);
  });
}
