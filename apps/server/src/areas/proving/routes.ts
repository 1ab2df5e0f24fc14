import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';

const Fault = z.strictObject({ kind: z.string().max(40), subject: z.string().max(100), plant: z.boolean() });

/** The door to a proving ground, where one was given at the start. */
export async function proving(app: App, { ctx }: { ctx: Context }) {
  const ask = async (path: string, init?: RequestInit) => {
    if (!ctx.config.provingUrl) throw new Refusal('not-found', 'No proving ground belongs to this installation.');
    const r = await fetch(`${ctx.config.provingUrl}${path}`, { ...init, signal: AbortSignal.timeout(5000) }).catch(() => {
      throw new Refusal('unreachable', 'The proving ground does not answer.', {
        remedy: 'Start it again; what stood in it is kept.',
      });
    });
    const body = (await r.json()) as { message?: string };
    if (!r.ok) throw new Refusal('invalid', body.message ?? 'The proving ground answered with an error and no reason.');
    return body;
  };
  const json = (method: string, body: object) => ({
    method,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

  app.get(
    '/api/proving',
    { config: { act: 'proving.read' }, schema: { response: { '2xx': answers.ProvingGround } } },
    async () =>
      ctx.config.provingUrl
        ? ({ ...(await ask('/state')), here: true } as z.input<typeof answers.ProvingGround>)
        : { here: false as const },
  );
  app.post(
    '/api/proving/speed',
    {
      config: { act: 'proving.change' },
      schema: { response: { '2xx': answers.Nothing }, body: z.strictObject({ speed: z.number().min(1).max(5000) }) },
    },
    async (req) => {
      await ask('/speed', json('POST', req.body));
      return {};
    },
  );
  app.post(
    '/api/proving/faults',
    { config: { act: 'proving.change' }, schema: { response: { '2xx': answers.Nothing }, body: Fault } },
    async (req) => {
      const { plant, ...fault } = req.body;
      await ask('/faults', json(plant ? 'POST' : 'DELETE', fault));
      await record(ctx.db.manager, req.who.login, plant ? 'planted a fault' : 'lifted a fault', fault.subject, fault);
      return {};
    },
  );
}
