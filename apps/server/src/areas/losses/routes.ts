import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { actOnLoss, beginLoss, lossesNow } from './service.ts';

const Named = z.strictObject({ name: words.Name });

/** Losses that are tried: hosts of a cluster that stands are switched off, and what happens is measured. */
export async function losses(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/charters/:name/losses',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.Losses } } },
    async (req) => lossesNow(ctx, req.params.name),
  );
  app.post(
    '/api/charters/:name/losses',
    {
      config: { act: 'losses.try' },
      schema: {
        params: Named,
        /** What is lost, as the rehearsal calls it: a host, two hosts, a rack. And that once more. */
        body: z.strictObject({ case: words.Line(200), off: words.Line(200) }),
        response: { '2xx': answers.LossBegun },
      },
    },
    async (req, reply) => {
      const { case: lost, off } = req.body;
      if (off !== lost)
        throw new Refusal('not-now', `What runs on ${lost} is away.`, { remedy: `Give its name as "off": ${lost}.` });
      return reply.status(201).send({ id: await beginLoss(ctx, req.params.name, lost, req.who.login) });
    },
  );
  app.post(
    '/api/charters/:name/losses/:act',
    {
      config: { act: 'losses.try' },
      schema: { params: Named.extend({ act: z.enum(['stop', 'resume']) }), response: { '2xx': answers.Nothing } },
    },
    async (req) => {
      await actOnLoss(ctx, req.params.name, req.params.act, req.who.login);
      return {};
    },
  );
}
