import { lookup } from 'node:dns/promises';
import { networkInterfaces } from 'node:os';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import helmet from '@fastify/helmet';
import fastifyStatic from '@fastify/static';
import swagger from '@fastify/swagger';
import Fastify, { type FastifyError, type FastifyRequest } from 'fastify';
import { hasZodFastifySchemaValidationErrors, jsonSchemaTransform, validatorCompiler } from 'fastify-type-provider-zod';
import { keysAt, plainly, unknownField } from '@praesidor/core/model';
import * as answers from '@praesidor/contract';
import fp from 'fastify-plugin';
import { z } from 'zod';
import { alive } from './alive.ts';
import { apiDocs } from './api-docs.ts';
import { withExamples } from './api-examples.ts';
import type { App } from './app-type.ts';
import { schemas } from './estate/schemas.ts';
import { accounts } from './areas/accounts/routes.ts';
import { addresses } from './areas/addresses/routes.ts';
import { boot } from './areas/builds/boot.ts';
import { serveTftp, type Tftp } from './areas/builds/tftp.ts';
import { builds } from './areas/builds/routes.ts';
import { shell } from './areas/shell/routes.ts';
import { etcdBackups } from './areas/clusters/backups.ts';
import { clusters } from './areas/clusters/routes.ts';
import { findings } from './areas/findings/routes.ts';
import { backups } from './areas/backups/routes.ts';
import { losses } from './areas/losses/routes.ts';
import { rollouts } from './areas/rollouts/routes.ts';
import { book } from './areas/book/routes.ts';
import { sites } from './areas/sites/routes.ts';
import { installations } from './areas/installations/routes.ts';
import { sitePower } from './areas/site-power/routes.ts';
import { gateways } from './areas/gateways/routes.ts';
import { hosts } from './areas/hosts/routes.ts';
import { images } from './areas/images/routes.ts';
import { keyring } from './areas/keyring/routes.ts';
import { notices } from './areas/notices/routes.ts';
import { tellOthers } from './areas/notices/follow.ts';
import { proposals } from './areas/proposals/routes.ts';
import { proving } from './areas/proving/routes.ts';
import { auth } from './auth/plugin.ts';
import type { Config } from './config.ts';
import type { Context } from './context.ts';
import { toRefusal } from './db/errors.ts';
import { estate } from './estate/routes.ts';
import { readRoutes } from './estate/read-routes.ts';
import { recordRoutes } from './record/routes.ts';
import { keepSealed } from './record/seal.ts';
import { events } from './events/routes.ts';
import { startJobs } from './jobs/handlers.ts';
import { lookSoon } from './jobs/look-soon.ts';
import { watch } from './jobs/watch.ts';
import { metrics } from './metrics.ts';
import { openContext } from './open.ts';
import { type Place, Refusal } from './refusal.ts';

/** One plugin an area; a new area is a folder and a line. */
const areas = [
  accounts,
  estate,
  readRoutes,
  proposals,
  recordRoutes,
  schemas,
  findings,
  hosts,
  addresses,
  images,
  gateways,
  backups,
  losses,
  rollouts,
  installations,
  sites,
  book,
  sitePower,
  clusters,
  etcdBackups,
  shell,
  builds,
  keyring,
  notices,
  proving,
  events,
  boot,
];

export interface Running {
  app: App;
  ctx: Context;
  url: string;
  close: () => Promise<void>;
}

/** Seconds that a connection is told to be kept (RFC 9112 §9.3; `Keep-Alive`, RFC 2068 §19.7.1.1). */
const kept = 60;

/** Opens the database, registers everything, listens, and starts working on queued jobs. */
export async function startServer(config: Config): Promise<Running> {
  const app = Fastify({
    logger: { level: config.logLevel },
    trustProxy: config.trustProxy.length ? config.trustProxy : false,
    bodyLimit: 1_500_000,
    forceCloseConnections: true,
    routerOptions: { maxParamLength: 300 },
  } as never) as unknown as App;
  // Connections are kept for longer than is told: who asks again at the last moment finds nobody who just closed.
  app.server.keepAliveTimeout = (kept + 15) * 1000;
  app.addHook('onSend', async (req, reply) => {
    if (req.raw.httpVersion !== '1.1' || /\bclose\b/i.test(req.headers.connection ?? '')) return;
    reply.header('connection', 'keep-alive').header('keep-alive', `timeout=${kept}`);
  });
  const log = (message: string, facts: object = {}) => app.log.warn(facts, message);
  const { ctx, close } = await openContext(config, log);

  app.setValidatorCompiler(validatorCompiler);
  // What goes out is held against its schema where somebody asks for it (the tests do); people are not refused an answer for it.
  app.setSerializerCompiler(({ schema, method, url }) => (data) => {
    const text = JSON.stringify(data);
    const wrong = config.checkAnswers ? (schema as unknown as z.ZodType).safeParse(JSON.parse(text)).error : undefined;
    if (wrong) throw new Error(`${method} ${url} answers otherwise than its schema says: ${z.prettifyError(wrong)}`);
    return text;
  });
  // Every route can refuse: its answer then is the same everywhere.
  app.addHook('onRoute', (route) => {
    if (!route.url.startsWith('/api/')) return;
    const schema = (route.schema ?? {}) as { response?: Record<string, unknown> };
    route.schema = { ...schema, response: { '4xx': answers.Fault, '5xx': answers.Fault, ...schema.response } };
  });
  app.setErrorHandler((e: FastifyError, req, reply) => {
    const said = toRefusal(e);
    if (said instanceof Refusal && said.code === 'away') reply.header('retry-after', '2');
    if (said instanceof Refusal && said.more.retryAfter) reply.header('retry-after', String(said.more.retryAfter));
    if (said instanceof Refusal) return reply.status(said.status).send({ code: said.code, message: said.message, ...said.more });
    if (hasZodFastifySchemaValidationErrors(e)) {
      const schema = (req.routeOptions.schema as Record<string, unknown> | undefined)?.[e.validationContext ?? 'body'];
      const places = e.validation.flatMap((v) => placesOf(v as never, schema));
      return reply.status(422).send({
        code: 'invalid',
        message: `The request cannot be taken: ${places[0]?.path ? `${places[0].path}: ` : ''}${places[0]?.message}`,
        places,
      });
    }
    if (e.statusCode && e.statusCode < 500)
      return reply.status(e.statusCode).send({
        code: e.statusCode === 429 ? 'too-many' : e.statusCode === 413 ? 'too-large' : 'invalid',
        message: requestFault(e, req),
      });
    req.log.error(e);
    return reply.status(500).send({
      code: 'fault',
      message: `An error in Praesidor itself (request ${req.id}). Whether a change that was under way is saved is not known.`,
      remedy: 'Reload and look before you try again. The log of the server has the details under that number.',
    });
  });
  await app.register(helmet, {
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'self'"],
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:'],
        workerSrc: ["'self'"],
        frameAncestors: ["'none'"],
        baseUri: ["'self'"],
        formAction: ["'self'"],
        objectSrc: ["'none'"],
      },
    },
    strictTransportSecurity: config.secureCookies,
  });
  await app.register(swagger, {
    openapi: { openapi: '3.1.0', info: { title: 'Praesidor', version: '0.1.0' } },
    transform: jsonSchemaTransform,
  });
  await app.register(auth, { ctx });

  await app.register(alive, { ctx });
  app.get('/api/openapi.json', { config: { open: true } }, async () => withExamples(app.swagger()));
  await app.register(fp(metrics), { ctx });
  for (const area of areas) await app.register(area, { ctx });
  await app.register(apiDocs);
  await serveWeb(app, config.webDir);

  let tftp: Tftp | undefined;
  const end = async () => {
    tftp?.close();
    await app.close();
    await close();
  };
  let stopJobs: () => void;
  try {
    stopJobs = await startJobs(ctx);
    await app.listen({ port: config.port, host: config.host });
    if (config.tftpPort !== undefined) tftp = await tftpFor(config, config.tftpPort, log);
  } catch (e) {
    await end();
    throw e;
  }
  const stopSealing = keepSealed(ctx.db, log);
  const stopTelling = tellOthers(ctx);
  const stopWatch = watch(ctx, config.watch * 1000);
  const stopLooks = config.looksAtOnce === false ? () => undefined : lookSoon(ctx);
  const address = app.server.address();
  return {
    app,
    ctx,
    url: `http://127.0.0.1:${address && typeof address === 'object' ? address.port : config.port}`,
    close: async () => {
      stopJobs();
      stopTelling();
      stopWatch();
      stopLooks();
      await stopSealing();
      await end();
    },
  };
}

/**
 * TFTP at the address that machines are told: firmware takes answers from no other, and a machine with several addresses answers from the
 * first of them. Where that address is not this machine's (a balancer's), it listens like the rest.
 */
async function tftpFor(config: Config, port: number, log: Context['log']): Promise<Tftp> {
  const files = { 'ipxe.efi': config.pxeProgram };
  const told = await lookup(new URL(config.publicUrl).hostname).catch(() => undefined);
  const own = told && Object.values(networkInterfaces()).some((list) => list?.some((i) => i.address === told.address));
  return serveTftp({ host: own ? told.address : config.host, port }, files, log);
}

/** What is wrong with a request before any route has seen it, in words. */
function requestFault(e: FastifyError, req: FastifyRequest): string {
  if (e.statusCode === 429) return 'Too many requests from this address; wait a minute.';
  if (e.code === 'FST_ERR_CTP_INVALID_MEDIA_TYPE')
    return `This address takes application/json, not ${(req.headers['content-type'] ?? 'a body without a content type').slice(0, 80)}.`;
  if (e.code === 'FST_ERR_CTP_EMPTY_JSON_BODY') return 'The body of the request is empty; JSON is needed.';
  if (e.code === 'FST_ERR_CTP_BODY_TOO_LARGE') return 'The body of the request is larger than this address takes.';
  if (e.statusCode === 400 && e instanceof SyntaxError) return `The body of the request is no JSON: ${e.message}.`;
  return e.message;
}

/** What is wrong with a request, each with its path; unknown fields with the one they were meant to be. */
function placesOf(
  v: { keyword: string; instancePath: string; message?: string; params: { keys?: string[] } },
  schema: unknown,
): Place[] {
  const path = v.instancePath.split('/').filter(Boolean);
  if (v.keyword !== 'unrecognized_keys') return [{ path: path.join('.'), message: plainly(v.message ?? 'wrong') }];
  const valid = keysAt(schema, path);
  return (v.params.keys ?? []).map((key) => ({
    path: [...path, key].join('.'),
    code: 'unknown',
    message: unknownField(key, valid),
  }));
}

/** What is a file of the page and not one of its views: an address in a link must not look like one. */
const asset = /^\/assets\/|\.(js|css|map|png|svg|ico|woff2?|txt|json|webmanifest)$/;

async function serveWeb(app: App, dir: string | undefined): Promise<void> {
  const index = dir && existsSync(join(dir, 'index.html')) ? readFileSync(join(dir, 'index.html'), 'utf8') : undefined;
  if (dir && index)
    await app.register(fastifyStatic, {
      root: dir,
      wildcard: false,
      index: false,
      setHeaders: (reply, path) => {
        reply.header('cache-control', path.includes('/assets/') ? 'public, max-age=31536000, immutable' : 'no-cache');
      },
    });
  app.setNotFoundHandler((req, reply) => {
    const path = req.url.split('?')[0] ?? '';
    if (
      !index ||
      req.method !== 'GET' ||
      path.startsWith('/api/') ||
      path.startsWith('/boot/') ||
      path === '/metrics' ||
      asset.test(path)
    )
      return reply.status(404).send({ code: 'not-found', message: `There is nothing at ${path.slice(0, 200)}.` });
    return reply.type('text/html').header('cache-control', 'no-cache').send(index);
  });
}
