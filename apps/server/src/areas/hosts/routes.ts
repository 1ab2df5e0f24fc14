import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import { words } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needDoc } from '../../estate/documents.ts';
import { accept, list, refresh, sweep, sweepRange } from './service.ts';

const Sweep = z.strictObject({ site: words.Name, range: words.RangeText });
const Accept = z.strictObject({
  addresses: z
    .array(z.strictObject({ address: words.Ip, fingerprint: z.string().max(200) }))
    .min(1)
    .max(500),
  credential: words.Name,
});
const List = z.strictObject({
  hosts: z
    .array(
      z.strictObject({
        address: words.Ip,
        name: z.string().max(63).optional(),
        rack: z.string().max(20).optional(),
        unit: z.number().int().optional(),
      }),
    )
    .min(1)
    .max(500),
  credential: words.Name,
});

export async function hosts(app: FastifyInstance, { ctx }: { ctx: Context }) {
  ctx.queue.handle('sweep', async (id, signal) => {
    const [site = '', range = ''] = id.split(' ');
    await sweep(ctx, site, range, signal);
  });

  app.post('/api/hosts/sweep', { config: { role: 'planner' }, schema: { body: Sweep } }, async (req, reply) => {
    const { site, range } = req.body as z.infer<typeof Sweep>;
    const r = sweepRange(range);
    await ctx.db.transaction(async (m) => {
      await needDoc(m, 'Site', site);
      await ctx.queue.send(m, 'sweep', `${site} ${range}`);
      await record(m, req.who.login, 'swept', site, { range });
    });
    return reply.status(202).send({ addresses: Number(r.last - r.first + 1n) });
  });

  /** Each address by itself: one that fails does not keep the others. */
  app.post('/api/hosts/accept', { config: { role: 'builder' }, schema: { body: Accept } }, async (req) => {
    const { addresses, credential } = req.body as z.infer<typeof Accept>;
    const results = await Promise.all(
      addresses.map(async ({ address, fingerprint }) => {
        try {
          const s = await accept(ctx, address, fingerprint, credential);
          return { address, error: s.error, serial: (s.facts as { serial?: string } | null)?.serial };
        } catch (e) {
          return { address, error: (e as Error).message };
        }
      }),
    );
    await record(ctx.db.manager, req.who.login, 'accepted fingerprints', addresses.map((a) => a.address).join(' '), {
      addresses,
    });
    return { results };
  });

  app.post('/api/hosts/list', { config: { role: 'planner' }, schema: { body: List } }, async (req) => {
    const body = req.body as z.infer<typeof List>;
    return ctx.db.transaction(async (m) => {
      const made = [];
      for (const h of body.hosts) made.push(await list(m, h.address, body.credential, h, req.who.login));
      const act = await record(
        m,
        req.who.login,
        'listed hosts',
        made.map((x) => x.host.name).join(' '),
        {},
        made.flatMap((x) => x.inverse),
      );
      return { hosts: made.map((x) => x.host), act };
    });
  });

  app.post(
    '/api/hosts/:name/refresh',
    { config: { role: 'planner' }, schema: { params: z.strictObject({ name: words.Name }) } },
    async (req) => ({ host: await refresh(ctx, (req.params as { name: string }).name, req.who.login) }),
  );
}
