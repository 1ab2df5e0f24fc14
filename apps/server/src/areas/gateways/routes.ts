import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { actOnSetup, beginSetup, setupOf } from './setup.ts';

const Named = z.strictObject({ name: words.Name });

/** Gateways are declared like everything else; here they are set up. */
export async function gateways(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/gateways/:name/setup',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.Setup } } },
    async (req) => setupOf(ctx, req.params.name),
  );
  app.post(
    '/api/gateways/:name/setup',
    { config: { act: 'gateways.set-up' }, schema: { params: Named, response: { '2xx': answers.SetupBegun } } },
    async (req, reply) => reply.status(201).send({ id: await beginSetup(ctx, req.params.name, req.who.login) }),
  );
  app.post(
    '/api/gateways/:name/setup/:act',
    {
      config: { act: 'gateways.set-up' },
      schema: { params: Named.extend({ act: z.enum(['stop', 'resume']) }), response: { '2xx': answers.Nothing } },
    },
    async (req) => {
      await actOnSetup(ctx, req.params.name, req.params.act, req.who.login);
      return {};
    },
  );
}
