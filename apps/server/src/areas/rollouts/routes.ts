import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { RolloutAsked } from '@praesidor/core/rollout';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { actOnRollout, beginRollout, rolloutNow } from './service.ts';

const Named = z.strictObject({ name: words.Name });

/** A version of a template is rolled out over its clusters, wave by wave. */
export async function rollouts(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/templates/:name/rollout',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.Rollout } } },
    async (req) => rolloutNow(ctx, req.params.name),
  );
  app.post(
    '/api/templates/:name/rollout',
    {
      config: { act: 'builds.run' },
      schema: { params: Named, body: RolloutAsked, response: { '2xx': answers.RolloutBegun } },
    },
    async (req, reply) => reply.status(201).send({ id: await beginRollout(ctx, req.params.name, req.body, req.who.login) }),
  );
  app.post(
    '/api/templates/:name/rollout/:act',
    {
      config: { act: 'builds.run' },
      schema: {
        params: Named.extend({ act: z.enum(['pause', 'continue', 'stop', 'resume']) }),
        response: { '2xx': answers.Nothing },
      },
    },
    async (req) => {
      await actOnRollout(ctx, req.params.name, req.params.act, req.who.login);
      return {};
    },
  );
}
