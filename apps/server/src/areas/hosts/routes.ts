import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { castPlan, hostColumns, hostFilter, judgeOf } from '@praesidor/core/hosts';
import { type Edit, words } from '@praesidor/core/model';
import { ejectMedia, readLog, setBoot, setLight, setMedia, virtualMedia } from '@praesidor/protocols/redfish';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { changePlan } from '../../estate/change.ts';
import { needDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { actOn, peoplesActs } from './acts.ts';
import { withBmc } from './bmc.ts';
import { refresh } from './facts.ts';
import { lookAtHypervisor } from './hypervisors.ts';
import { exportHosts, importHosts, mergeHosts, previewHosts, rejoin } from './import.ts';
import { hostPage, sample } from './page.ts';
import { accept, list } from './sightings.ts';
import { beginSweep, refuseUndeclared, stopSweeps, sweepRange } from './sweep.ts';
import { actOnWork, beginWork, worksOf } from './work.ts';
import { workKinds } from './work/index.ts';

const Sweep = z.strictObject({ site: words.Name, range: words.RangeText });
const Accept = z.strictObject({
  addresses: z
    .array(z.strictObject({ address: words.Ip, fingerprint: z.string().max(200) }))
    .min(1)
    .max(500),
  /** Tried in this order. */
  credential: z.union([words.Name, z.array(words.Name).min(1).max(8)]),
});
const List = z.strictObject({
  hosts: z
    .array(
      z.strictObject({
        address: words.Ip,
        name: z.string().max(63).optional(),
        rack: z.string().max(20).optional(),
        unit: z.number().int().optional(),
      }),
    )
    .min(1)
    .max(500),
  credential: words.Name,
});
const Named = z.strictObject({ name: words.Name });
const Some = z.array(words.Name).min(1).max(2000);
const Acts = z.strictObject({ act: z.enum(peoplesActs), hosts: Some });
const Work = z.strictObject({
  kind: z.string().max(20),
  hosts: Some,
  asked: z.record(z.string().max(20), z.union([z.string().max(200), z.boolean()])).default({}),
});
const Table = z.strictObject({
  text: z.string().max(20_000_000),
  site: words.Name.optional(),
  leaveOut: z.boolean().default(false),
  doubles: z.enum(['skip', 'merge']).default('skip'),
  /** What columns are to be read as, by their header; empty: not at all. */
  columns: z.record(z.string().max(200), z.enum(['', ...hostColumns])).default({}),
  revision: z.number().int().min(0).optional(),
});
const Cast = z.strictObject({
  site: words.Name,
  mould: words.Name,
  count: z.number().int().min(1).max(500),
  stem: z.string().regex(/^[a-z0-9]([a-z0-9-]{0,50})$/, 'what their names begin with, such as bw-g'),
  group: words.Name.optional(),
  rules: z.strictObject({ strategy: z.enum(['spread', 'dense']), tolerate: z.union([z.literal(0), z.literal(1)]) }),
  start: z.boolean().default(false),
});
const Control = z.discriminatedUnion('act', [
  z.strictObject({ act: z.literal('light'), on: z.boolean() }),
  z.strictObject({
    act: z.literal('boot'),
    from: z.enum(['None', 'Pxe', 'UefiHttp', 'Cd', 'Hdd', 'BiosSetup']),
    uri: z.url({ protocol: /^https?$/ }).optional(),
  }),
  z.strictObject({ act: z.literal('media'), image: z.url({ protocol: /^https?$/ }).optional() }),
]);
const Query = z.strictObject({ q: z.string().max(1000).default(''), site: words.Name.optional() });

export async function hosts(app: App, { ctx }: { ctx: Context }) {
  app.post(
    '/api/hosts/sweep',
    { config: { act: 'hosts.sweep' }, schema: { response: { '2xx': answers.Swept }, body: Sweep } },
    async (req, reply) => {
      const { site, range } = req.body;
      sweepRange(range);
      const addresses = await ctx.db.transaction(async (m) => {
        await needDoc(m, 'Site', site);
        await refuseUndeclared(m, site, range);
        const n = await beginSweep(ctx, m, site, range, req.who.login);
        await record(m, req.who.login, 'swept', site, { range });
        return n;
      });
      return reply.status(202).send({ addresses });
    },
  );
  app.post(
    '/api/hosts/sweep/stop',
    {
      config: { act: 'hosts.sweep' },
      schema: { response: { '2xx': answers.Nothing }, body: z.strictObject({ site: words.Name }) },
    },
    async (req) => {
      await stopSweeps(ctx.db.manager, req.body.site);
      return {};
    },
  );

  /** Each address by itself: one that fails does not keep the others. */
  app.post(
    '/api/hosts/accept',
    { config: { act: 'hosts.accept' }, schema: { response: { '2xx': answers.Accepted }, body: Accept } },
    async (req) => {
      const { addresses, credential } = req.body;
      const credentials = typeof credential === 'string' ? [credential] : credential;
      const results = await Promise.all(
        addresses.map(async ({ address, fingerprint }) => {
          try {
            const s = await accept(ctx, address, fingerprint, credentials, req.who.login);
            return { address, error: s.error, credential: s.credential, serial: (s.facts as { serial?: string } | null)?.serial };
          } catch (e) {
            return { address, error: (e as Error).message };
          }
        }),
      );
      await record(ctx.db.manager, req.who.login, 'accepted fingerprints', addresses.map((a) => a.address).join(' '), {
        addresses,
      });
      return { results };
    },
  );

  app.post(
    '/api/hosts/list',
    { config: { act: 'hosts.list' }, schema: { response: { '2xx': answers.Listed }, body: List } },
    async (req) => {
      const body = req.body;
      return ctx.db.transaction(async (m) => {
        const made = [];
        for (const h of body.hosts) made.push(await list(m, h.address, body.credential, h, req.who.login));
        const act = await record(
          m,
          req.who.login,
          'listed hosts',
          made.map((x) => x.host.name).join(' '),
          {},
          made.flatMap((x) => x.changes),
          'hosts.list',
        );
        return { hosts: made.map((x) => x.host), act };
      });
    },
  );
  app.post(
    '/api/hosts/rejoin',
    {
      config: { act: 'hosts.accept' },
      schema: { response: { '2xx': answers.OneHost }, body: z.strictObject({ host: words.Name, address: words.Ip }) },
    },
    async (req) => {
      const { host, address } = req.body;
      return rejoin(ctx, host, address, req.principal);
    },
  );
  app.post(
    '/api/hosts/merge',
    {
      config: { act: 'hosts.list' },
      schema: { response: { '2xx': answers.OneHost }, body: z.strictObject({ keep: words.Name, drop: words.Name }) },
    },
    async (req) => {
      const { keep, drop } = req.body;
      return mergeHosts(ctx, keep, drop, req.principal);
    },
  );

  /** Hosts by the same language as the filter of the table. */
  app.get(
    '/api/hosts',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.FoundHosts }, querystring: Query } },
    async (req) => {
      const { q, site } = req.query;
      const { estate } = await loadEstate(ctx.db);
      const judge = judgeOf(estate);
      const filter = hostFilter(q, judge);
      if (filter.wrong.length)
        throw new Refusal('invalid', `The filter cannot be read: ${filter.wrong[0]?.message}.`, {
          places: filter.wrong.map((w) => ({ path: 'q', column: w.from + 1, message: w.message })),
        });
      const found = estate.hosts.filter((h) => (!site || h.site === site) && filter.test(h));
      return { hosts: found.map((h) => ({ ...h, fits: judge(h).flatMap((f) => (f.fits ? [f.role] : [])) })) };
    },
  );

  app.post(
    '/api/hosts/preview',
    { config: { act: 'plan.read' }, bodyLimit: 25_000_000, schema: { response: { '2xx': answers.HostsPreview }, body: Table } },
    async (req) => {
      const { text, site, columns } = req.body;
      const p = await previewHosts(ctx, text, site, columns);
      const notable = p.lines.filter((l) => l.what !== 'same');
      return { ...p, lines: notable.slice(0, 1000).map(({ doc: _, ...l }) => l), more: Math.max(0, notable.length - 1000) };
    },
  );
  app.post(
    '/api/hosts/import',
    { config: { act: 'hosts.list' }, bodyLimit: 25_000_000, schema: { response: { '2xx': answers.HostsImported }, body: Table } },
    async (req) => importHosts(ctx, req.body, req.principal),
  );
  app.get(
    '/api/hosts/files/hosts.csv',
    { config: { act: 'plan.read' }, schema: { querystring: z.strictObject({ site: words.Name.optional() }) } },
    async (req, reply) => {
      const { site } = req.query;
      return reply
        .type('text/csv; charset=utf-8')
        .header('content-disposition', `attachment; filename="${site ? `${site}-` : ''}hosts.csv"`)
        .send(await exportHosts(ctx, site));
    },
  );

  app.post(
    '/api/hosts/acts',
    { config: { act: 'hosts.state' }, schema: { response: { '2xx': answers.Outcomes }, body: Acts } },
    async (req) => {
      const { act, hosts: names } = req.body;
      return actOn(ctx, act, names, req.principal);
    },
  );
  app.get('/api/hosts/works', { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Works } } }, async () => ({
    works: await worksOf(ctx.db.manager),
  }));
  app.post(
    '/api/hosts/works',
    { config: { act: 'hosts.work' }, schema: { response: { '2xx': answers.WorkBegun }, body: Work } },
    async (req, reply) => {
      const { kind: name, hosts: names, asked } = req.body;
      const kind = workKinds.get(name);
      if (!kind) throw new Refusal('invalid', `There is no work ${name}; there are ${[...workKinds.keys()].join(', ')}.`);
      return reply.status(202).send(await beginWork(ctx, kind, names, asked, req.who.login));
    },
  );
  app.post(
    '/api/hosts/works/:id/:act',
    {
      config: { act: 'hosts.work' },
      schema: {
        response: { '2xx': answers.Nothing },
        params: z.strictObject({ id: z.coerce.number().int(), act: z.enum(['stop', 'resume']) }),
      },
    },
    async (req) => {
      await actOnWork(ctx, req.params.id, req.params.act, req.who.login);
      return {};
    },
  );

  /** What casting would do: names, hypervisors, what is left, what is left when any one fails. Nothing is made. */
  app.post(
    '/api/hosts/cast/plan',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.CastPlanned }, body: Cast } },
    async (req) => {
      const { estate } = await loadEstate(ctx.db);
      return { plan: planned(req.body, estate) };
    },
  );
  app.post(
    '/api/hosts/cast',
    { config: { act: 'guests.cast' }, schema: { response: { '2xx': answers.Cast }, body: Cast } },
    async (req, reply) => {
      const wish = req.body;
      const made = await ctx.db.transaction(async (m) => {
        // Two that cast at once would both see the same room.
        await m.query('select pg_advisory_xact_lock(727006)');
        const { estate } = await loadEstate(m);
        const plan = planned(wish, estate);
        if (plan.packing.unplaced.length)
          throw new Refusal(
            'not-now',
            `Nothing was cast: ${plan.packing.unplaced.length} of ${wish.count} find no place. ${plan.packing.unplaced[0]?.guest}: ${plan.packing.unplaced[0]?.why}.`,
            {
              remedy: 'Ask for fewer, another mould, or no room for a failure.',
            },
          );
        const edits = plan.hosts.map((doc): Edit => ({ op: 'put', doc }));
        const changes = await changePlan(m, req.principal, edits, { act: 'guests.cast', via: 'act', note: 'cast guests' });
        const act = await record(
          m,
          req.who.login,
          'planned guests',
          plan.hosts.map((h) => h.name).join(' '),
          { ...wish },
          changes,
          'guests.cast',
        );
        return { names: plan.hosts.map((h) => h.name), act };
      });
      const kind = workKinds.get('cast');
      const begun = kind && (await beginWork(ctx, kind, made.names, { start: wish.start }, req.who.login));
      return reply.status(202).send({ ...made, ...(begun || {}) });
    },
  );
  app.post(
    '/api/hypervisors/:name/look',
    { config: { act: 'hypervisors.connect' }, schema: { response: { '2xx': answers.HypervisorSeen }, params: Named } },
    async (req) => ({
      seen: await lookAtHypervisor(ctx, req.params.name),
    }),
  );

  app.get(
    '/api/hosts/:name',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.HostPage }, params: Named } },
    async (req) => hostPage(ctx, req.params.name),
  );
  app.post(
    '/api/hosts/:name/refresh',
    { config: { act: 'hosts.connect' }, schema: { response: { '2xx': answers.Refreshed }, params: Named } },
    async (req) => ({
      host: await refresh(ctx, req.params.name, req.who.login),
    }),
  );
  app.post(
    '/api/hosts/:name/sensors',
    { config: { act: 'hosts.connect' }, schema: { response: { '2xx': answers.Sensors }, params: Named } },
    async (req) => ({
      readings: await sample(ctx, req.params.name),
    }),
  );
  app.get(
    '/api/hosts/:name/log',
    { config: { act: 'hosts.connect' }, schema: { response: { '2xx': answers.ControllerLog }, params: Named } },
    async (req) => ({
      entries: await withBmc(ctx, req.params.name, (bmc) => readLog(bmc)),
      media: await withBmc(ctx, req.params.name, (bmc) => virtualMedia(bmc)),
    }),
  );
  /** Acts on one machine through its controller; power of many is work. */
  app.post(
    '/api/hosts/:name/bmc',
    { config: { act: 'hosts.control' }, schema: { response: { '2xx': answers.Nothing }, params: Named, body: Control } },
    async (req) => {
      const c = req.body;
      await withBmc(ctx, req.params.name, async (bmc) => {
        if (c.act === 'light') await setLight(bmc, c.on);
        else if (c.act === 'boot') await setBoot(bmc, c.from, { uri: c.uri });
        else if (c.image) await setMedia(bmc, c.image);
        else await ejectMedia(bmc);
      });
      const said =
        c.act === 'light'
          ? `light ${c.on ? 'on' : 'off'}`
          : c.act === 'boot'
            ? `boots once from ${c.from}`
            : c.image
              ? 'inserted virtual media'
              : 'ejected virtual media';
      await record(ctx.db.manager, req.who.login, said, req.params.name, { ...c });
      return {};
    },
  );
}

function planned(wish: z.infer<typeof Cast>, estate: Parameters<typeof castPlan>[1]) {
  try {
    return castPlan(wish, estate);
  } catch (e) {
    throw new Refusal('invalid', `Nothing can be cast: ${(e as Error).message}.`);
  }
}
