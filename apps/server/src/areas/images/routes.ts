import * as answers from '@praesidor/contract';
import { Readable } from 'node:stream';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { may, type Principal } from '@praesidor/core/access';
import { type PullStep, wouldPull } from '@praesidor/core/images';
import { words } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, ping, targetOf } from '@praesidor/protocols/oci';
import { permit } from '../../access/permit.ts';
import { whereIs } from '../../access/where.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { ShipmentCases, Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { acceptShipment, arrive, caseArchive, wouldLand } from './cases.ts';
import { distrustInstance, trustedKeys, trustInstance } from './instance.ts';
import { mayGo, scrubOf, takeAway } from './deleting.ts';
import { makeKit, takeKit } from './kit/make.ts';
import { publishedAt, takePublished } from './published.ts';
import { type AlsoPlanned, planChain, planRepair, planShipment } from './plan.ts';
import { pullSummary, readPulls, stillReading } from './pulls.ts';
import { openRegistry, lookAt } from './registries.ts';
import { start, startIn, stop } from './shipments.ts';
import { newCertificate, requestFor, setAuthority, trustOf } from './trust.ts';

const Bills = z.array(words.VersionName).min(1).max(50);
const how = {
  way: z.enum(['link', 'fast-link', 'case']).optional(),
  caseBytes: z.number().int().min(10_000).max(1e14).optional(),
};
/** Started at once: that is asked for by who may run shipments to its target. */
const startsToo = { start: z.boolean().default(false) };
const Plan = z.strictObject({ target: words.Name, bills: Bills, source: words.Name.optional(), ...how, ...startsToo });
const Chain = z.strictObject({
  bills: Bills,
  source: words.Name.optional(),
  ...startsToo,
  stops: z
    .array(z.strictObject({ target: words.Name, ...how }))
    .min(2)
    .max(10),
});
const label = z.string().regex(/^[A-Za-z0-9][A-Za-z0-9._-]{0,69}$/);
const Label = z.strictObject({ label });
const Start = z.strictObject({ cases: z.array(z.number().int().min(1).max(10_000)).min(1).max(10_000).optional() }).nullish();
const Where = z.strictObject({ charter: words.Name.optional(), host: words.Name.optional(), image: z.string().max(500) });
const Named = z.strictObject({ name: words.Name });
const Keep = z.strictObject({ keep: z.coerce.number().int().min(0).max(50).default(1) });
const Take = z.strictObject({ bills: Bills, keep: z.number().int().min(0).max(50).default(1), names: z.number().int().min(0) });
const Pem = z.string().min(1).max(100_000);
const Kit = z
  .strictObject({
    days: z.number().int().min(1).max(3650).default(397),
    given: z.strictObject({ cert: Pem, key: Pem, ca: Pem }).optional(),
  })
  .nullish();
const PairGiven = z.strictObject({ cert: Pem, key: Pem });
const AuthorityAsked = z.strictObject({ given: PairGiven.optional(), held: z.literal(true).optional() }).nullish();
const Certificate = z.strictObject({
  days: z.number().int().min(1).max(3650).default(397),
  given: PairGiven.optional(),
  answer: z.string().max(100_000).optional(),
  files: z.boolean().optional(),
  confirmed: z.array(words.Name).max(300).default([]),
});
const Installation = z.strictObject({
  name: words.Line(80, 1),
  key: z.string().regex(/^[A-Za-z0-9+/]{43}=$/, 'an Ed25519 public key: 32 bytes in base64'),
});
const Since = z.strictObject({
  since: words.Instant.optional(),
  by: z.enum(['hour', 'day']).default('hour'),
  site: words.Name.optional(),
});

export async function images(app: App, { ctx }: { ctx: Context }) {
  // An archive is read as it comes: it may be larger than any memory.
  app.addContentTypeParser('application/x-tar', (_req, payload, done) => done(null, payload));

  app.get('/api/shipments', { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Shipments } } }, async () => {
    const shipments = await ctx.db.manager.find(Shipments, { order: { id: 'DESC' }, take: 100 });
    const cases = shipments.length
      ? await ctx.db.manager
          .createQueryBuilder(ShipmentCases, 'c')
          .where('c.shipment in (:...ids)', { ids: shipments.map((s) => s.id) })
          .orderBy('c.number')
          .getMany()
      : [];
    return {
      shipments: shipments.map((s) => ({
        ...s,
        cases: cases.filter((c) => c.shipment === s.id).map(({ shipment: _, ...c }) => c),
      })),
    };
  });

  /** Starts the first of what was planned; those after it begin when it has landed. @throws Refusal where they may not run shipments there */
  const starter = async (who: Principal, targets: readonly string[]): Promise<AlsoPlanned> => {
    permit(who, 'shipments.run', undefined, await whereIs(ctx.db.manager, [{ kind: 'Registry', keys: targets }]));
    return async (m, [first]) => {
      if (first) await startIn(ctx, m, first.label, who.login);
    };
  };
  app.post(
    '/api/shipments',
    { config: { act: 'shipments.plan' }, schema: { response: { '2xx': answers.ShipmentPlanned }, body: Plan } },
    async (req, reply) => {
      const { start: startsToo, ...wish } = req.body;
      const starts = startsToo ? await starter(req.principal, [wish.target]) : undefined;
      const s = await planShipment(ctx, wish, req.who.login, async (m, made) => {
        for (const s of made) await record(m, req.who.login, 'planned a shipment', s.label, { ...wish, bytes: s.bytes });
        await starts?.(m, made);
      });
      return reply.status(201).send({ shipment: s });
    },
  );

  app.post(
    '/api/shipments/chain',
    { config: { act: 'shipments.plan' }, schema: { response: { '2xx': answers.ChainPlanned }, body: Chain } },
    async (req, reply) => {
      const { stops, bills, source, start: startsToo } = req.body;
      const targets = stops.map((s) => s.target);
      const starts = startsToo ? await starter(req.principal, targets) : undefined;
      const made = await planChain(ctx, stops, bills, source, req.who.login, async (m, made) => {
        for (const s of made)
          await record(m, req.who.login, 'planned a shipment', s.label, { target: s.target, bills, after: s.after });
        await starts?.(m, made);
      });
      return reply.status(201).send({ shipments: made });
    },
  );

  app.post(
    '/api/shipments/:label/repair',
    { config: { act: 'shipments.plan' }, schema: { response: { '2xx': answers.ShipmentPlanned }, params: Label } },
    async (req, reply) => {
      const broken = req.params.label;
      const s = await planRepair(ctx, broken, req.who.login);
      await record(ctx.db.manager, req.who.login, 'planned a shipment', s.label, { repairs: broken, bytes: s.bytes });
      return reply.status(201).send({ shipment: s });
    },
  );

  app.post(
    '/api/shipments/:label/start',
    { config: { act: 'shipments.run' }, schema: { response: { '2xx': answers.Nothing }, params: Label, body: Start } },
    async (req) => {
      await start(ctx, req.params.label, req.who.login, req.body?.cases);
      return {};
    },
  );
  app.post(
    '/api/shipments/:label/stop',
    { config: { act: 'shipments.run' }, schema: { response: { '2xx': answers.Nothing }, params: Label } },
    async (req) => {
      await stop(ctx, req.params.label, req.who.login);
      return {};
    },
  );

  /** A packed case as a tar archive, to be carried. */
  app.get(
    '/api/shipments/:label/cases/:number',
    { config: { act: 'cases.carry' }, schema: { params: z.strictObject({ label, number: z.coerce.number().int().min(1) }) } },
    async (req, reply) => {
      const p = req.params;
      const stream = await caseArchive(ctx, p.label, p.number);
      await record(ctx.db.manager, req.who.login, 'took out a case', `${p.label} case ${p.number}`);
      return reply
        .type('application/x-tar')
        .header('content-disposition', `attachment; filename="${p.label}-case-${p.number}.tar"`)
        .send(stream);
    },
  );
  /** A case that was carried here, as a tar archive, plain or gzip. */
  app.post(
    '/api/cases',
    { config: { act: 'cases.carry' }, bodyLimit: Number.MAX_SAFE_INTEGER, schema: { response: { '2xx': answers.CaseArrived } } },
    async (req, reply) => {
      if (!(req.body instanceof Readable))
        throw new Refusal('invalid', 'A case comes as a tar archive (application/x-tar), plain or gzip.');
      return reply.status(201).send(await arrive(ctx, req.body, req.who.login));
    },
  );
  /** What landing would change, and why a shipment is not landed by itself. */
  app.get(
    '/api/shipments/:label/would-change',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.WouldChange }, params: Label } },
    async (req) => wouldLand(ctx, req.params.label),
  );
  app.post(
    '/api/shipments/:label/accept',
    {
      config: { act: 'cases.accept' },
      schema: { response: { '2xx': answers.Nothing }, params: Label, body: z.strictObject({ confirm: z.string().max(80) }) },
    },
    async (req) => {
      await acceptShipment(ctx, req.params.label, req.body.confirm, req.who.login);
      return {};
    },
  );
  /** Keys of installations whose shipments are believed; the first is this one's own, to be given to others. */
  app.get(
    '/api/trust/installations',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Installations } } },
    async () => ({
      installations: await trustedKeys(ctx.config, ctx.db.manager),
    }),
  );
  app.post(
    '/api/trust/installations',
    { config: { act: 'trust.change' }, schema: { response: { '2xx': answers.Nothing }, body: Installation } },
    async (req, reply) => {
      const { name, key } = req.body;
      await ctx.db.transaction((m) => trustInstance(m, name, key, req.who.login));
      return reply.status(201).send({});
    },
  );
  app.delete(
    '/api/trust/installations/:name',
    {
      config: { act: 'trust.change' },
      schema: { response: { '2xx': answers.Nothing }, params: z.strictObject({ name: words.Line(80, 1) }) },
    },
    async (req) => {
      await ctx.db.transaction((m) => distrustInstance(m, req.params.name, req.who.login));
      return {};
    },
  );

  app.post(
    '/api/registries/:name/look',
    { config: { act: 'registries.connect' }, schema: { response: { '2xx': answers.RegistrySeen }, params: Named } },
    async (req) => {
      const { digests, ...seen } = await lookAt(ctx, req.params.name, true);
      return { seen: { ...seen, held: digests.length } };
    },
  );
  for (const [method, act] of [
    ['GET', 'look'],
    ['POST', 'start'],
    ['DELETE', 'stop'],
  ] as const)
    app.route({
      method,
      url: '/api/registries/:name/scrub',
      config: { act: act === 'look' ? 'registries.connect' : 'registries.verify' },
      schema: { params: Named, response: { '2xx': answers.ScrubOf } },
      handler: async (req) => ({ scrub: await scrubOf(ctx, req.params.name, act, req.who.login) }),
    });
  app.get(
    '/api/registries/:name/deletable',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Deletable }, params: Named, querystring: Keep } },
    async (req) => mayGo(ctx, req.params.name, req.query.keep),
  );
  app.post(
    '/api/registries/:name/delete',
    { config: { act: 'registries.clean' }, schema: { response: { '2xx': answers.ImagesDeleted }, params: Named, body: Take } },
    async (req) => {
      const b = req.body;
      return takeAway(ctx, req.params.name, b.bills, b.keep, b.names, req.who.login);
    },
  );
  app.get(
    '/api/registries/:name/published',
    { config: { act: 'registries.connect' }, schema: { response: { '2xx': answers.PublishedList }, params: Named } },
    async (req) => {
      const { published, faults } = await publishedAt(ctx, req.params.name);
      return { published: published.map(({ doc: _, ...o }) => o), faults };
    },
  );
  app.post(
    '/api/registries/:name/published',
    {
      config: { act: 'releases.take' },
      schema: { response: { '2xx': answers.DocumentsTaken }, params: Named, body: z.strictObject({ names: Bills }) },
    },
    async (req) => takePublished(ctx, req.params.name, req.body.names, req.principal),
  );

  /** The kit that installs a registry on a machine without internet; its passwords are shown in this answer and never again. */
  app.post(
    '/api/registries/:name/kit',
    { config: { act: 'registries.kit' }, schema: { response: { '2xx': answers.RegistryKit }, params: Named, body: Kit } },
    async (req, reply) => {
      const asked = req.body ?? { days: 397 };
      return reply.status(201).send(await makeKit(ctx, req.params.name, asked, req.who.login));
    },
  );
  app.get(
    '/api/kits/:id',
    { config: { act: 'registries.kit' }, schema: { params: z.strictObject({ id: z.uuid() }) } },
    async (req, reply) => {
      const { stream, size } = await takeKit(ctx, req.params.id);
      return reply
        .type('application/gzip')
        .header('content-length', size)
        .header('content-disposition', 'attachment; filename="praesidor-registry.tar.gz"')
        .send(stream);
    },
  );

  app.get(
    '/api/registries/:name/trust',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Trust }, params: Named } },
    async (req) => trustOf(ctx, req.params.name),
  );
  /** An authority of its own, made here or brought along, beside what is trusted already. */
  app.post(
    '/api/registries/:name/authority',
    {
      config: { act: 'trust.change' },
      schema: { response: { '2xx': answers.AuthorityTrusted }, params: Named, body: AuthorityAsked },
    },
    async (req, reply) => {
      const asked = req.body;
      const from = asked?.given ?? (asked?.held ? 'held' : undefined);
      return reply.status(201).send(await setAuthority(ctx, req.params.name, from, req.who.login));
    },
  );
  app.post(
    '/api/registries/:name/certificate',
    {
      config: { act: 'trust.change' },
      schema: { response: { '2xx': answers.CertificateMade }, params: Named, body: Certificate },
    },
    async (req, reply) => {
      const asked = req.body;
      return reply.status(201).send(await newCertificate(ctx, req.params.name, asked, req.who.login));
    },
  );

  app.post(
    '/api/registries/:name/request',
    { config: { act: 'trust.change' }, schema: { response: { '2xx': answers.SigningRequest }, params: Named } },
    async (req, reply) => reply.status(201).send(await requestFor(ctx, req.params.name, req.who.login)),
  );

  app.get(
    '/api/pulls',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Pulls }, querystring: Since } },
    async (req) => {
      const { since, by, site } = req.query;
      const { estate } = await loadEstate(ctx.db);
      const hosts = estate.hosts.filter((h) => !site || h.site === site);
      return pullSummary(ctx, since ?? new Date(Date.now() - 7 * 86_400_000).toISOString(), estate.registries, by, hosts);
    },
  );
  /** For a hand-over: its log is read first, so that what is told is as of now. */
  app.get(
    '/api/registries/:name/readers',
    { config: { act: 'registries.connect' }, schema: { response: { '2xx': answers.Readers }, params: Named } },
    async (req) => {
      const { estate } = await loadEstate(ctx.db);
      const registry = needIn(estate, 'Registry', req.params.name);
      await readPulls(ctx, registry);
      return stillReading(ctx, registry.name);
    },
  );
  app.post(
    '/api/registries/:name/pulls',
    { config: { act: 'registries.connect' }, schema: { response: { '2xx': answers.PullsAdded }, params: Named } },
    async (req) => {
      const { estate } = await loadEstate(ctx.db);
      return { added: await readPulls(ctx, needIn(estate, 'Registry', req.params.name)) };
    },
  );

  /** Computed, then measured: where a host (or any of a cluster's) would pull an image from, and whether it would work. */
  app.post(
    '/api/images/where',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Where }, body: Where } },
    async (req) => {
      const { charter, host, image } = req.body;
      const { estate } = await loadEstate(ctx.db);
      const asked = host ?? estate.hosts.find((h) => h.held?.charter === charter)?.name ?? '';
      if (charter) needIn(estate, 'Charter', charter);
      if (host || !charter) needIn(estate, 'Host', asked);
      let would: ReturnType<typeof wouldPull>;
      try {
        would = wouldPull(estate, asked, image, charter);
      } catch (e) {
        throw new Refusal('invalid', (e as Error).message, { places: [{ path: 'image', message: (e as Error).message }] });
      }
      return { would, measured: may(req.principal, 'registries.connect') ? await measure(ctx, would) : null };
    },
  );
}

/** What the computed answer says, tried from here: the name, the certificate, the credentials, the content. */
async function measure(ctx: Context, would: ReturnType<typeof wouldPull>): Promise<(PullStep & { ms: number })[]> {
  const { estate } = await loadEstate(ctx.db);
  const mirror = estate.registries.find((r) => r.endpoint === would.endpoint && r.role !== 'source');
  if (!mirror || would.steps[0]?.good === false) return [];
  const steps: (PullStep & { ms: number })[] = [];
  const r = await openRegistry(ctx, mirror).catch((e: Refusal) => {
    steps.push({ what: 'credentials', good: false, text: e.message, ms: 0 });
    return undefined;
  });
  if (!r) return steps;
  ctx.dialer.forget(targetOf(r).host);
  const attempt = async (what: PullStep['what'], act: () => Promise<string>) => {
    const began = performance.now();
    try {
      const text = await act();
      steps.push({ what, good: true, text, ms: Math.round(performance.now() - began) });
      return true;
    } catch (e) {
      steps.push({
        what,
        good: false,
        text: e instanceof ProtocolError ? e.detail : (e as Error).message,
        ms: Math.round(performance.now() - began),
      });
      return false;
    }
  };
  const there = await attempt('credentials', async () => {
    await ping(r);
    return `${would.endpoint} answers, its certificate names it, ${r.user ?? 'everybody'} may read`;
  });
  if (there)
    await attempt('content', async () => {
      const { digest } = await getManifest(r, would.repository, would.reference);
      return `${digest.slice(0, 15)}…${digest.slice(-4)} is there`;
    });
  return steps;
}
