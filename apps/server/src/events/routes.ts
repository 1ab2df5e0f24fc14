import type { ServerEvent } from '@praesidor/contract';
import type { App } from '../app-type.ts';
import type { Context } from '../context.ts';

/** Most events that are told one by one to somebody who missed them. */
const most = 1000;

/**
 * Server-sent events; what was missed since `Last-Event-ID` is sent first. Whoever missed too much is told to read
 * everything again (`Again`), and never a part without a sign.
 */
export async function events(app: App, { ctx }: { ctx: Context }) {
  app.get('/api/events', { config: { act: 'plan.read' } }, async (req, reply) => {
    reply.hijack();
    reply.raw.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
    let last = Number(req.headers['last-event-id'] ?? 0) || 0;
    const write = (e: ServerEvent) => {
      if (e.id) last = Math.max(last, e.id);
      reply.raw.write(`${e.id ? `id: ${e.id}\n` : ''}data: ${JSON.stringify(e)}\n\n`);
    };
    /** While the missed ones are read, what comes meanwhile waits behind them. */
    let waiting: ServerEvent[] | undefined = [];
    const catchUp = async () => {
      waiting ??= [];
      try {
        const from = last;
        const [{ now } = { now: 0 }] = (await ctx.db.manager.query(
          'select coalesce(max(position), 0)::int as now from event',
        )) as { now: number }[];
        const missed = from
          ? ((await ctx.db.manager.query(
              'select position::int as id, kind, subject from event where position > $1 order by position limit $2',
              [from, most + 1],
            )) as ServerEvent[])
          : [];
        if (missed.length > most || from > now) write({ id: now, kind: 'Again', subject: '' });
        else for (const e of missed) write(e);
      } catch {
        write({ id: 0, kind: 'Again', subject: '' });
      }
      const held = waiting;
      const seen = last;
      waiting = undefined;
      for (const e of held) if (!e.id || e.id > seen) write(e);
    };
    const off = ctx.bus.on((e) => (waiting ? waiting.push(e) : write(e)));
    const offAgain = ctx.bus.onReopened(() => void catchUp());
    const beat = setInterval(() => {
      // A stream outlives the request that was let in: who has signed out is told nothing more.
      void app.stillSignedIn(req).then(
        (stands) => (stands ? reply.raw.write(': still here\n\n') : reply.raw.end()),
        // Nobody can know at the moment: asked again at the next beat.
        () => undefined,
      );
    }, 15_000);
    reply.raw.on('close', () => {
      off();
      offAgain();
      clearInterval(beat);
    });
    reply.raw.write('retry: 1000\n\n');
    await catchUp();
  });
}
