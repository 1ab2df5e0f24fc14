import fp from 'fastify-plugin';
import Fastify from 'fastify';
import { serializerCompiler, validatorCompiler } from 'fastify-type-provider-zod';
import { alive } from './alive.ts';
import type { App } from './app-type.ts';
import type { Config } from './config.ts';
import type { Context } from './context.ts';
import { startJobs } from './jobs/handlers.ts';
import { metrics } from './metrics.ts';
import { openContext } from './open.ts';

export interface Working {
  ctx: Context;
  url: string;
  close: () => Promise<void>;
}

/**
 * A process that shares the work of an installation and serves nobody: it takes jobs from the queue as a server does. People, machines and boot kits go to the servers;
 * here only whether it lives, whether it can work, and its figures are told.
 */
export async function startWorker(config: Config): Promise<Working> {
  const app = Fastify({ logger: { level: config.logLevel }, forceCloseConnections: true } as never) as unknown as App;
  app.setValidatorCompiler(validatorCompiler);
  app.setSerializerCompiler(serializerCompiler);
  const { ctx, close } = await openContext(config, (message, facts = {}) => app.log.warn(facts, message));
  await app.register(fp(metrics), { ctx });
  await app.register(alive, { ctx });
  const end = async () => {
    await app.close();
    await close();
  };
  try {
    const stopJobs = await startJobs(ctx);
    const url = await app.listen({ port: config.port, host: config.host });
    return {
      ctx,
      url,
      close: async () => {
        stopJobs();
        await end();
      },
    };
  } catch (e) {
    await end();
    throw e;
  }
}
