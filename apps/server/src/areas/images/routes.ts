import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import { mirrorRules, whereFrom } from '@praesidor/core/images';
import { type Bill, words } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, ping, targetOf } from '@praesidor/protocols/oci';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { at, computeBill, lookAt } from './registries.ts';
import { planShipment, run, start, stop } from './shipments.ts';

const Plan = z.strictObject({ target: words.Name, bills: z.array(words.VersionName).min(1).max(50) });
const Label = z.strictObject({ label: z.string().regex(/^[A-Z0-9-]{1,70}$/) });
const Where = z.strictObject({ charter: words.Name, image: z.string().max(500) });

export async function images(app: FastifyInstance, { ctx }: { ctx: Context }) {
  ctx.queue.handle('shipment', (id, signal) => run(ctx, Number(id), signal));
  ctx.queue.handle('bills', (id, signal) => computeBill(ctx, id, signal));

  app.get('/api/shipments', { config: { role: 'reader' } }, async () => ({
    shipments: await ctx.db.manager.find(Shipments, { order: { id: 'DESC' }, take: 100 }),
  }));

  app.post('/api/shipments', { config: { role: 'builder' }, schema: { body: Plan } }, async (req, reply) => {
    const { target, bills } = req.body as z.infer<typeof Plan>;
    const s = await planShipment(ctx, target, bills, req.who.login);
    await record(ctx.db.manager, req.who.login, 'planned a shipment', s.label, { target, bills, bytes: s.bytes });
    return reply.status(201).send({ shipment: s });
  });

  for (const [act, perform] of [
    ['start', start],
    ['stop', stop],
  ] as const) {
    app.post(`/api/shipments/:label/${act}`, { config: { role: 'builder' }, schema: { params: Label } }, async (req) => {
      const { label } = req.params as { label: string };
      await perform(ctx, label);
      await record(ctx.db.manager, req.who.login, act === 'start' ? 'started a shipment' : 'stopped a shipment', label);
      return {};
    });
  }

  app.post(
    '/api/registries/:name/look',
    { config: { role: 'reader' }, schema: { params: z.strictObject({ name: words.Name }) } },
    async (req) => {
      const { digests, ...seen } = await lookAt(ctx, (req.params as { name: string }).name);
      return { seen: { ...seen, held: digests.length } };
    },
  );

  /** Computed, then measured: where a cluster's nodes would pull an image from, and whether it would work. */
  app.post('/api/images/where', { config: { role: 'reader' }, schema: { body: Where } }, async (req) => {
    const { charter: name, image } = req.body as z.infer<typeof Where>;
    const { estate } = await loadEstate(ctx.db);
    const charter = needIn(estate, 'Charter', name);
    const mirror = needIn(estate, 'Registry', charter.mirror);
    const bills = [charter.release, ...charter.addons]
      .map((n) => estate.observed.bills[n])
      .filter((b): b is Bill => b !== undefined);
    let from: ReturnType<typeof whereFrom>;
    try {
      from = whereFrom(image, mirrorRules(bills, mirror));
    } catch (e) {
      throw new Refusal('invalid', (e as Error).message, { places: [{ path: 'image', message: (e as Error).message }] });
    }
    const steps: { text: string; ok: boolean }[] = [];
    steps.push(
      from.rule
        ? { text: `longest rule ${from.rule.source} → ${from.rule.mirror}`, ok: true }
        : { text: `no rule matches: the runtime would ask ${from.endpoint} itself`, ok: false },
    );
    if (from.rule) {
      const r = await at(ctx, mirror);
      ctx.dialer.forget(targetOf(r).host);
      const attempt = async (text: string, act: () => Promise<string>) => {
        try {
          steps.push({ text: `${text}: ${await act()}`, ok: true });
          return true;
        } catch (e) {
          steps.push({ text: `${text}: ${e instanceof ProtocolError ? e.detail : (e as Error).message}`, ok: false });
          return false;
        }
      };
      (await attempt('name, certificate and credentials', async () => {
        await ping(r);
        return `${from.endpoint} answers, its certificate names it, ${r.user ?? 'nobody'} may read`;
      })) &&
        (await attempt(
          'content',
          async () => `${(await getManifest(r, from.repository, from.reference)).digest.slice(0, 19)}… is there`,
        ));
    }
    return { steps };
  });
}
