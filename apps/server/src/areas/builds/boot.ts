import type { App } from '../../app-type.ts';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import rateLimit from '@fastify/rate-limit';
import type { FastifyReply, FastifyRequest } from 'fastify';
import { z } from 'zod';
import type { Plan } from '@praesidor/core/charter';
import { findBuild } from './rows.ts';
import { bootFiles, kernelLine, type StartsFrom } from '@praesidor/core/files';
import { hashed } from '../../auth/seal.ts';
import type { Context } from '../../context.ts';
import { loadEstate } from '../../estate/load.ts';
import { publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { startedOn } from '../clusters/kit.ts';
import { BootCopies } from './boot-copies.ts';
import { Media, type Medium } from './boot-medium.ts';
import { asItComes, bootLayer, bootProgram, NoProgram } from './boot-program.ts';
import { kitOf } from './kit-of-build.ts';
import { rangeOf, readPieces } from './pieces.ts';
import { pxeHost } from './pxe.ts';

const Report = z.object({
  name: z.string().max(60),
  event_type: z.enum(['start', 'progress', 'finish']),
  result: z.string().max(20).optional(),
  description: z.string().max(1000).optional(),
});
const types: Record<string, string> = {
  'boot.ipxe': 'text/plain',
  'user-data': 'text/cloud-config',
  'meta-data': 'text/yaml',
  'network-config': 'text/yaml',
  'vendor-data': 'text/cloud-config',
};

const programs: Record<string, StartsFrom> = { 'boot.efi': 'network', 'disk.efi': 'disk' };

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new Refusal('invalid', 'A report is JSON, and this is none.');
  }
}

function asRefusal(e: unknown): never {
  throw e instanceof NoProgram ? new Refusal('not-found', e.message, { remedy: e.remedy }) : e;
}

const token = z.string().max(200);
const OfToken = z.object({ token });
const OfFile = z.object({ token, file: z.string().max(100) });
const OfMac = z.object({ mac: z.string().max(40) });
/** What of a request decides which program or medium it is answered with. */
type Asked = Pick<FastifyRequest, 'headers'> & { params: { token: string } };

/** What machines ask for while they boot. A token opens one host of one build, and nothing after the build. */
export async function boot(app: App, { ctx }: { ctx: Context }) {
  await app.register(rateLimit, { global: false });
  app.addContentTypeParser('application/x-www-form-urlencoded', { parseAs: 'string', bodyLimit: 16_384 }, (_req, body, done) =>
    done(null, Object.fromEntries(new URLSearchParams(body as string))),
  );

  // cloud-init's webhook sends JSON and no content type (22.4, reporting/handlers.py): what comes here without one is read as that.
  app.addContentTypeParser('*', { parseAs: 'string', bodyLimit: 16_384 }, (_req, body, done) => done(null, body));

  const opened = async (token: string, opens: 'files' | 'reports') => {
    const [row] = (await ctx.db.manager.query(
      'select build, host from boot_token where token_hash = $1 and opens = $2 and until > now()',
      [hashed(token), opens],
    )) as { build: number; host: string }[];
    const build = row && (await findBuild(ctx.db.manager, row.build));
    if (!row || !build)
      throw new Refusal('not-found', 'This boot address is closed: its build has ended, or it was never given out.');
    return { build, host: row.host };
  };
  const heard = async (build: number, host: string, name: string, event: string, result: string, text: string) => {
    await ctx.db.manager.query('insert into build_report (build, host, data) values ($1, $2, $3)', [
      build,
      host,
      JSON.stringify({ name, event, result, text }),
    ]);
    await publishTransient(ctx.db.manager, 'Report', `${build} ${host}`);
  };

  app.get('/boot/:token/:file', { schema: { params: OfFile } }, async (req, reply) => {
    const { build, host } = await opened(req.params.token, 'files');
    const { file } = req.params;
    const { estate } = await loadEstate(ctx.db);
    const files = bootFiles(await kitOf(ctx, build, estate), host);
    const text = Object.hasOwn(files, file) ? files[file] : undefined;
    if (text === undefined) throw new Refusal('not-found', 'There is no such file in this kit.');
    await heard(build.id, host, 'fetch', 'progress', 'SUCCESS', `fetched ${file}`);
    return reply
      .type(types[file] ?? 'text/plain')
      .header('cache-control', 'no-store')
      .send(text);
  });

  /** What iPXE asks for when firmware has loaded it by PXE; a host that has nothing to start here goes on to its next source. */
  const often = { rateLimit: { max: 60, timeWindow: '1 minute' } };
  app.get('/boot/pxe/:mac', { config: often, schema: { params: OfMac } }, async (req, reply) => {
    const { mac } = req.params;
    const found = /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/i.test(mac) ? await pxeHost(ctx, mac.toLowerCase(), req.ip) : undefined;
    if (found) await heard(found.build.id, found.host, 'fetch', 'progress', 'SUCCESS', `asked by PXE, as ${mac}`);
    const lines = found ? [`chain ${found.script}`] : [`echo no build waits for a host with \${net0/mac}`, 'exit'];
    return reply
      .type('text/plain')
      .header('cache-control', 'no-store')
      .send(['#!ipxe', ...lines, ''].join('\n'));
  });

  /** What iPXE loads one by one. */
  for (const title of ['kernel', 'initrd'])
    app.get(`/boot/:token/${title}`, { exposeHeadRoute: false, schema: { params: OfToken } }, async (req, reply) => {
      const { build, host } = await opened(req.params.token, 'files');
      const { estate } = await loadEstate(ctx.db);
      const plan = build.plan as Plan;
      const layer = await bootLayer(ctx, plan, estate, startedOn(plan, host), title).catch(asRefusal);
      return reply
        .type('application/octet-stream')
        .header('content-length', layer.size)
        .send(Readable.from(readPieces([layer])));
    });

  /** What UEFI firmware loads over the network, and from its disk later: it asks for the length first. */
  for (const [name, from] of Object.entries(programs)) {
    app.get(`/boot/:token/${name}`, { exposeHeadRoute: false, schema: { params: OfToken } }, (req, reply) =>
      program(req, reply, from, true),
    );
    app.head(`/boot/:token/${name}`, { schema: { params: OfToken } }, (req, reply) => program(req, reply, from, false));
  }
  async function program(req: Asked, reply: FastifyReply, from: StartsFrom, whole: boolean) {
    const { build, host } = await opened(req.params.token, 'files');
    const { estate } = await loadEstate(ctx.db);
    const line = kernelLine(await kitOf(ctx, build, estate), host, from);
    const plan = build.plan as Plan;
    const made = await bootProgram(ctx, plan, estate, startedOn(plan, host), line).catch(asRefusal);
    reply.type('application/efi').header('content-length', made.size).header('cache-control', 'no-store');
    reply.header('etag', `"${made.tag}"`);
    if (!whole) return reply.send();
    // It has these bytes already (RFC 9110 §13.1.2).
    if (req.headers['if-none-match'] === `"${made.tag}"`) return reply.removeHeader('content-length').status(304).send();
    const what = from === 'network' ? 'fetches its boot program' : 'fetches the program for its disk';
    await heard(build.id, host, 'fetch', 'progress', 'SUCCESS', what);
    return reply.send(Readable.from(readPieces(made.pieces(asItComes))));
  }

  /** What a controller plays to its machine. It reads in parts, and asks for the length first. */
  const read = new WeakSet<Medium>();
  const media = new Media(ctx, new BootCopies(join(ctx.config.dataDir, 'boot')));
  app.get('/boot/:token/boot.iso', { exposeHeadRoute: false, schema: { params: OfToken } }, (req, reply) =>
    medium(req, reply, true),
  );
  app.head('/boot/:token/boot.iso', { schema: { params: OfToken } }, (req, reply) => medium(req, reply, false));
  async function medium(req: Asked, reply: FastifyReply, whole: boolean) {
    const { build, host } = await opened(req.params.token, 'files');
    const made = await media.of(req.params.token, build, host).catch(asRefusal);
    reply.type('application/octet-stream').header('accept-ranges', 'bytes').header('cache-control', 'no-store');
    reply.header('etag', `"${made.tag}"`);
    const asked = req.headers['if-range'] && req.headers['if-range'] !== `"${made.tag}"` ? undefined : req.headers.range;
    const range = whole ? rangeOf(asked, made.size) : 'whole';
    if (range === 'none') return reply.status(416).header('content-range', `bytes */${made.size}`).send();
    const { from, to } = range === 'whole' ? { from: 0, to: made.size } : range;
    if (range !== 'whole') reply.status(206).header('content-range', `bytes ${from}-${to - 1}/${made.size}`);
    reply.header('content-length', to - from);
    if (!whole) return reply.send();
    // Said once, and not for each of its parts.
    const first = !read.has(made);
    read.add(made);
    if (first) await heard(build.id, host, 'fetch', 'progress', 'SUCCESS', 'its controller reads the boot medium');
    return reply.send(Readable.from(readPieces(made.pieces, from, to)));
  }

  app.get('/boot/:token/gate/join', { schema: { params: OfToken } }, async (req, reply) => {
    const { build, host } = await opened(req.params.token, 'reports');
    const [row] = (await ctx.db.manager.query('select 1 from build_gate where build = $1 and host = $2', [
      build.id,
      host,
    ])) as unknown[];
    // Waiting at the gate is news by itself: everything before it is done, even if a report of it was lost.
    const [last] = (await ctx.db.manager.query(
      "select data->>'name' as name from build_report where build = $1 and host = $2 order by id desc limit 1",
      [build.id, host],
    )) as { name: string }[];
    if (!row && last?.name !== 'gate') await heard(build.id, host, 'gate', 'progress', 'SUCCESS', 'waits at its gate');
    return reply.status(row ? 204 : 423).send();
  });

  app.post('/boot/:token/report', { bodyLimit: 16_384, schema: { params: OfToken } }, async (req) => {
    const { build, host } = await opened(req.params.token, 'reports');
    const r = Report.safeParse(typeof req.body === 'string' ? parsed(req.body) : req.body);
    if (!r.success)
      throw new Refusal('invalid', `A report has name, event_type, result and description: ${r.error.issues[0]?.message}`);
    const result = r.data.result === 'FAIL' || r.data.result === 'WARN' ? r.data.result : 'SUCCESS';
    await heard(build.id, host, r.data.name, r.data.event_type, result, r.data.description ?? '');
    return {};
  });

  app.post('/boot/:token/phone-home', { schema: { params: OfToken } }, async (req) => {
    const { build, host } = await opened(req.params.token, 'reports');
    await heard(build.id, host, 'phone-home', 'finish', 'SUCCESS', 'phoned home');
    return {};
  });
}
