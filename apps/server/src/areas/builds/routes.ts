import type { Plan } from '@praesidor/core/charter';
import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { ChangeName } from '@praesidor/core/changes';
import { words } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { runActs, stepActs } from '../../engine/acts.ts';
import { statusOf } from '../../engine/state.ts';
import { Refusal } from '../../refusal.ts';
import { archive } from '../clusters/kit.ts';
import { act, beginChange, dueChange } from './service.ts';
import { evidenceOf } from './evidence.ts';
import { buildsOf, buildTimes } from './list.ts';
import { madeOf } from './made.ts';
import { drifts, proofOf, proveNow, publishedNow } from './proofs.ts';
import { needBuild } from './rows.ts';

const One = z.strictObject({ charter: words.Name, number: z.coerce.number().int().min(1) });
const OneAct = One.extend({ act: z.enum(runActs) });

const Hosts = z.array(words.Name).max(1000).optional();
/**
 * What was decided for hosts whose steps failed. `erase`: their disks are erased, whatever they hold, where they lay them out. `undrained`: they are
 * taken out although pods are left there. `off`: they are off, and nobody here can see it. `unbacked`, with the name of the cluster: etcd is not backed up. `unkept`: they go although data lie there alone.
 */
const HowToGoOn = z.preprocess(
  (v) => v ?? {},
  z.strictObject({
    erase: Hosts,
    undrained: Hosts,
    off: Hosts,
    unbacked: Hosts,
    unkept: Hosts,
    /** `repeat` and `skip` are of one step; one is skipped for a reason. */
    step: z.string().max(120).optional(),
    reason: z.string().max(500).optional(),
  }),
);

const whatOf = ({ kind, title, moves }: BuildRow) => ({ kind, title, moves });

export async function builds(app: App, { ctx }: { ctx: Context }) {
  app.post(
    '/api/builds',
    {
      config: { act: 'builds.run' },
      schema: {
        response: { '2xx': answers.BuildBegun },
        body: z.strictObject({ charter: words.Name, kind: ChangeName.default('build'), confirm: words.Name.optional() }),
      },
    },
    async (req, reply) => {
      const b = await beginChange(ctx, req.body.charter, req.body.kind, req.who.login, req.body.confirm);
      return reply.status(201).send({ charter: b.charter, number: b.number });
    },
  );

  /** What would be done to a cluster so that it stands as planned, before anything is. */
  app.get(
    '/api/charters/:name/change',
    {
      config: { act: 'plan.read' },
      schema: {
        response: { '2xx': answers.ChangeDue },
        params: z.strictObject({ name: words.Name }),
        querystring: z.strictObject({ kind: ChangeName.optional() }),
      },
    },
    async (req) => ({ due: (await dueChange(ctx, req.params.name, req.query.kind)) ?? null }),
  );

  app.get(
    '/api/builds',
    {
      config: { act: 'plan.read' },
      schema: {
        response: { '2xx': answers.Builds },
        querystring: z.strictObject({ before: z.coerce.number().int().min(1).optional(), charter: words.Name.optional() }),
      },
    },
    async (req) => buildsOf(ctx.db.manager, req.query),
  );

  /** How long each kind of step took, build by build: since when something is slower. */
  app.get('/api/builds/times', { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.BuildTimes } } }, async () =>
    buildTimes(ctx.db.manager),
  );

  app.get(
    '/api/builds/:charter/:number',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.WholeBuild }, params: One } },
    async (req) => {
      const { charter, number } = req.params;
      const b = await needBuild(ctx.db.manager, charter, number);
      return {
        charter,
        number,
        ...whatOf(b),
        revision: b.revision,
        createdAt: b.createdAt,
        createdBy: b.createdBy,
        steps: b.steps,
        proof: b.proof as answers.ProofLine[] | null,
        plan: b.plan as Plan,
        run: b.id,
        approval: b.approval,
        approvedBy: b.approvedBy,
        status: await statusOf(ctx.db.manager, b),
      };
    },
  );

  app.get(
    '/api/builds/:charter/:number/log',
    {
      config: { act: 'plan.read' },
      schema: {
        response: { '2xx': answers.LogLines },
        params: One,
        querystring: z.strictObject({
          /** Without it: of all steps. */
          step: z.string().max(120).optional(),
          /** Lines that have this in them, in capitals or not. */
          text: z.string().max(200).optional(),
          after: z.coerce.number().int().min(0).default(0),
        }),
      },
    },
    async (req) => {
      const { charter, number } = req.params;
      const { step, text, after } = req.query;
      const b = await needBuild(ctx.db.manager, charter, number);
      return {
        lines: (await ctx.db.manager.query(
          'select id::int, step, at, level, line from run_log where run = $1 and ($2::text is null or step = $2) and id > $3 and ($4::text is null or line ilike $4) order by id limit 2000',
          [b.id, step ?? null, after, text ? `%${text.replace(/[\\%_]/g, '\\$&')}%` : null],
        )) as z.input<typeof answers.LogLine>[],
      };
    },
  );

  app.post(
    '/api/builds/:charter/:number/:act',
    { config: { act: 'builds.run' }, schema: { response: { '2xx': answers.Nothing }, params: OneAct, body: HowToGoOn } },
    async (req) => {
      const p = req.params;
      const { step, reason, ...hosts } = req.body;
      const decided = Object.fromEntries(Object.entries(hosts).filter(([, list]) => list?.length));
      if ((step !== undefined || reason !== undefined) && !(stepActs as readonly string[]).includes(p.act))
        throw new Refusal('invalid', 'A step goes with repeat and skip, and a reason with skip.');
      if (Object.keys(decided).length && p.act !== 'resume' && p.act !== 'retry')
        throw new Refusal(
          'invalid',
          'What is decided for hosts goes with a build that is resumed, or whose failed steps are retried.',
        );
      await act(ctx, p.charter, p.number, p.act, req.who.login, { decided, step, reason });
      return {};
    },
  );

  /** What is measured of clusters that stand, again and again. */
  app.get('/api/proofs', { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Drifts } } }, async () =>
    drifts(ctx.db.manager),
  );
  const ofCluster = z.strictObject({ name: words.Name });
  /** Everything that was made for a cluster, with how each thing stands; what nobody answers for is named. */
  app.get(
    '/api/charters/:name/made',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Made }, params: ofCluster } },
    async (req) => ({ made: await madeOf(ctx, req.params.name) }),
  );
  /** Asked of its API at this moment. */
  app.post(
    '/api/charters/:name/services/measure',
    {
      config: { act: 'reach.measure' },
      schema: { response: { '2xx': answers.PublishedNow }, params: z.strictObject({ name: words.Name }) },
    },
    async (req) => ({ at: new Date().toISOString(), services: await publishedNow(ctx, req.params.name) }),
  );

  app.get(
    '/api/charters/:name/proof',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.StandingProof }, params: ofCluster } },
    async (req) => proofOf(ctx.db.manager, req.params.name),
  );
  app.post(
    '/api/charters/:name/proof',
    { config: { act: 'builds.run' }, schema: { response: { '2xx': answers.StandingProof }, params: ofCluster } },
    async (req) => {
      await proveNow(ctx, req.params.name, AbortSignal.timeout(60_000));
      return proofOf(ctx.db.manager, req.params.name);
    },
  );

  /** Everything that shows how the change went, with a list of checksums. */
  app.get(
    '/api/builds/:charter/:number/evidence.tar.gz',
    { config: { act: 'plan.read' }, schema: { params: One } },
    async (req, reply) => {
      const { charter, number } = req.params;
      const b = await needBuild(ctx.db.manager, charter, number);
      const files = await evidenceOf(ctx.config, ctx.db.manager, b);
      return reply
        .header('content-type', 'application/gzip')
        .header('content-disposition', `attachment; filename="${charter}-build-${number}.tar.gz"`)
        .send(archive(`${charter}-build-${number}`, files));
    },
  );
}
