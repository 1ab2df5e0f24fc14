import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { actOnPower, beginPower, powerNow } from './service.ts';

const Named = z.strictObject({ name: words.Name });

/** A site is started in order after a loss of power, or shut down for a planned one. */
export async function sitePower(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/sites/:name/power',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.SitePower } } },
    async (req) => powerNow(ctx, req.params.name),
  );
  app.post(
    '/api/sites/:name/power',
    {
      config: { act: 'sites.power' },
      schema: {
        params: Named,
        /** The site once more: all that runs there comes or goes. */
        body: z.strictObject({ to: z.enum(['start', 'stop']), site: words.Line(200) }),
        response: { '2xx': answers.SitePowerBegun },
      },
    },
    async (req, reply) => {
      const { name } = req.params;
      if (req.body.site !== name)
        throw new Refusal('not-now', `All hosts of ${name} are meant.`, { remedy: `Give its name as "site": ${name}.` });
      return reply.status(201).send({ id: await beginPower(ctx, name, req.body.to, req.who.login) });
    },
  );
  app.post(
    '/api/sites/:name/power/:act',
    {
      config: { act: 'sites.power' },
      schema: { params: Named.extend({ act: z.enum(['stop', 'resume']) }), response: { '2xx': answers.Nothing } },
    },
    async (req) => {
      await actOnPower(ctx, req.params.name, req.params.act, req.who.login);
      return {};
    },
  );
}
