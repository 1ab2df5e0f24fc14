import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import { words } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Keys } from '../../db/tables.ts';
import { tell } from '../../events/bus.ts';
import { keep } from './service.ts';

const Entry = z.strictObject({
  name: words.Name,
  use: z.enum(['bmc', 'hypervisor', 'registry', 'tsig', 'other']),
  user: z.string().max(120),
  secret: z.string().min(1).max(4000),
});

export async function keyring(app: FastifyInstance, { ctx }: { ctx: Context }) {
  app.get('/api/keyring', { config: { role: 'reader' } }, async () => ({
    entries: (await ctx.db.manager.find(Keys, { order: { name: 'ASC' } })).map(({ sealed: _, ...e }) => e),
  }));
  app.post('/api/keyring', { config: { role: 'warden' }, schema: { body: Entry } }, async (req) => {
    const e = req.body as z.infer<typeof Entry>;
    await ctx.db.transaction(async (m) => {
      await keep(ctx.config, m, e, req.who.login);
      await record(m, req.who.login, 'put into the keyring', e.name, { use: e.use });
    });
    return {};
  });
  app.delete(
    '/api/keyring/:name',
    { config: { role: 'warden' }, schema: { params: z.strictObject({ name: words.Name }) } },
    async (req) => {
      const { name } = req.params as { name: string };
      await ctx.db.transaction(async (m) => {
        await m.delete(Keys, { name });
        await tell(m, 'Keyring', name);
        await record(m, req.who.login, 'took out of the keyring', name);
      });
      return {};
    },
  );
}
