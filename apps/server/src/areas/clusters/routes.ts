import { gunzipSync } from 'node:zlib';
import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { clusterRoleNames, usualHours } from '@praesidor/core/access';
import { bootKit, fileChanges } from '@praesidor/core/files';
import { matchingText, readDocuments, words } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { CharterRevisions } from '../../db/tables.ts';
import { needDoc, validDoc } from '../../estate/documents.ts';
import { Refusal } from '../../refusal.ts';
import { confirm, measureAll, prerequisites } from '../builds/measure.ts';
import { applicationsOf } from './applications.ts';
import { existingCluster, takeIn } from './existing.ts';
import { handOut } from './hand-out.ts';
import { archive, openContext, sealedContext, sha256 } from './kit.ts';
import { carve, deleteCharter } from './without-hosts.ts';
import type { EntityManager } from 'typeorm';
import { hold, holdWithin, inTurnToHold, keepText, nothingHeld, planOf, saveCharter, writtenText } from './service.ts';

const Named = z.strictObject({ name: words.Name });
/** A cluster that somebody else built, and what its charter is to be called. */
const Existing = z.strictObject({ kubeconfig: z.string().max(200_000), name: words.Name.optional() });
const Save = z.strictObject({
  doc: z.unknown().optional(),
  text: z.string().max(1_000_000).optional(),
  /** Saved only over this version; 0 is none. */
  version: z.number().int().min(0).optional(),
  /** The document that the person began from: what others changed since is kept, field by field. */
  base: z.unknown().optional(),
  note: z.string().max(200).default(''),
  hold: z.boolean().default(true),
});

export async function clusters(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/charters/:name',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.CharterAnswer }, params: Named } },
    async (req) => {
      const { name } = req.params;
      const { doc, version } = await needDoc(ctx.db.manager, 'Charter', name);
      return {
        doc,
        text: matchingText(await writtenText(ctx.db.manager, name), doc),
        version,
        revisions: await ctx.db.manager.find(CharterRevisions, {
          where: { charter: name },
          order: { revision: 'DESC' },
          take: 100,
        }),
      };
    },
  );

  /** A cluster that exists is read with a kubeconfig, which is not kept; a charter is drafted that would give it. Nothing is saved. */
  app.post(
    '/api/sites/:name/existing',
    {
      config: { act: 'charters.save' },
      schema: {
        response: { '2xx': answers.ExistingCluster },
        params: Named,
        body: Existing,
      },
    },
    async (req) => existingCluster(ctx, req.who.login, req.params.name, req.body),
  );

  /** Takes that cluster in: the charter is saved, the way into its API is kept sealed, and it is measured against the charter. Nothing in it is changed. */
  app.post(
    '/api/sites/:name/existing/take-in',
    {
      config: { act: 'builds.run' },
      schema: {
        response: { '2xx': answers.BuildBegun },
        params: Named,
        body: Existing,
      },
    },
    async (req, reply) => {
      const { charter, number } = await takeIn(ctx, req.principal, req.params.name, req.body);
      return reply.status(201).send({ charter, number });
    },
  );

  /** Its add-ons as they stand in it, asked of its API at this moment. */
  app.get(
    '/api/charters/:name/applications',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.ClusterApplications }, params: Named } },
    async (req) => applicationsOf(ctx, req.params.name),
  );

  /** Saves the sheet's document or the text; both are the same document and pass the same schema. */
  app.put(
    '/api/charters/:name',
    { config: { act: 'charters.save' }, schema: { response: { '2xx': answers.CharterSaved }, params: Named, body: Save } },
    async (req) => {
      const { name } = req.params;
      const body = req.body;
      const charter = body.text === undefined ? validDoc(body.doc) : fromText(body.text);
      if (charter.kind !== 'Charter') throw new Refusal('invalid', `This is a ${charter.kind}, not a charter.`);
      if (charter.name !== name)
        throw new Refusal('invalid', `The charter of ${name} cannot be renamed to ${charter.name}.`, {
          places: [{ path: 'name', message: `must stay ${name}` }],
          remedy: 'Make a new charter and tear this one down.',
        });
      const base = body.base === undefined || body.base === null ? null : validDoc(body.base);
      if (base && base.kind !== 'Charter') throw new Refusal('invalid', `The base is a ${base.kind}, not a charter.`);
      const over = body.version === undefined ? { base } : { version: body.version };
      const save = async (m: EntityManager) => {
        const { changes, ...saved } = await saveCharter(m, req.principal, charter, over, body.note);
        if (body.text !== undefined) await keepText(m, name, body.text);
        const held = body.hold ? await holdWithin(m, name, req.who.login) : nothingHeld;
        const { changes: holding, hosts, addresses, released, notHeld } = held;
        const told = { hosts, addresses, released, ...(notHeld ? { notHeld } : {}) };
        const added = changes.some((c) => !c.before);
        const act = await record(
          m,
          req.who.login,
          'saved the charter',
          name,
          { revision: saved.revision, ...told },
          added ? undefined : [...changes, ...holding],
          'charters.save',
        );
        return { ...saved, held: told, act };
      };
      return body.hold ? inTurnToHold(() => ctx.db.transaction(save)) : ctx.db.transaction(save);
    },
  );

  app.post(
    '/api/charters/:name/hold',
    { config: { act: 'charters.save' }, schema: { params: Named, response: { '2xx': answers.Held } } },
    async (req) => {
      const { name } = req.params;
      const held = async (m: EntityManager) => {
        const h = await hold(m, name, req.who.login);
        return {
          hosts: h.hosts,
          addresses: h.addresses,
          released: h.released,
          act: await record(
            m,
            req.who.login,
            'held hosts and reserved addresses',
            name,
            { hosts: h.hosts, addresses: h.addresses },
            h.changes,
            'charters.save',
          ),
        };
      };
      return inTurnToHold(() => ctx.db.transaction(held));
    },
  );

  /** A prefix of its own, with a VLAN, a gateway, outbound addresses and a pool for what it publishes. */
  app.post(
    '/api/charters/:name/precinct',
    {
      config: { act: 'charters.save' },
      schema: { params: Named, body: z.strictObject({ from: words.Name }), response: { '2xx': answers.PrecinctMade } },
    },
    async (req) =>
      inTurnToHold(() =>
        ctx.db.transaction(async (m) => {
          const { precinct, held, act } = await carve(m, req.principal, req.params.name, req.body.from);
          return { precinct, held: { hosts: held.hosts, addresses: held.addresses, released: held.released }, act };
        }),
      ),
  );

  /** With what was kept for it; one that has hosts is taken down first. */
  app.delete(
    '/api/charters/:name',
    { config: { act: 'charters.save' }, schema: { params: Named, response: { '2xx': answers.CharterDeleted } } },
    async (req) => ctx.db.transaction((m) => deleteCharter(m, req.principal, req.params.name)),
  );

  /** The kit to look at: secrets are named, not shown. */
  app.get(
    '/api/charters/:name/files',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.KitFiles }, params: Named } },
    async (req) => {
      const { plan, estate } = await planOf(ctx, req.params.name);
      return {
        files: bootKit(openContext(plan, estate, ctx.config.publicUrl)).map((f) => ({ ...f, sha256: sha256(f.content) })),
      };
    },
  );

  /** What a build of it needs, with what was last found of each. */
  app.get(
    '/api/charters/:name/prerequisites',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.Prerequisites }, params: Named } },
    async (req) => ({ prerequisites: await prerequisites(ctx, req.params.name) }),
  );
  app.post(
    '/api/charters/:name/prerequisites/measure',
    { config: { act: 'builds.run' }, schema: { response: { '2xx': answers.Prerequisites }, params: Named } },
    async (req) => {
      await measureAll(ctx, req.params.name, req.who.login);
      return { prerequisites: await prerequisites(ctx, req.params.name) };
    },
  );
  app.post(
    '/api/charters/:name/prerequisites/confirm',
    {
      config: { act: 'builds.run' },
      schema: {
        response: { '2xx': answers.Prerequisites },
        params: Named,
        body: z.strictObject({ id: z.string().max(200), note: z.string().min(3).max(300) }),
      },
    },
    async (req) => {
      await confirm(ctx, req.params.name, req.body.id, req.body.note, req.who.login);
      return { prerequisites: await prerequisites(ctx, req.params.name) };
    },
  );

  /** What the kit has otherwise than the one that the last build wrote. */
  app.get(
    '/api/charters/:name/files/since-build',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.KitSince }, params: Named } },
    async (req) => {
      const { name } = req.params;
      const { estate } = await planOf(ctx, name);
      const [last] = (await ctx.db.manager.query(
        'select b.number, r.created_at as at, k.files from build b join run r on r.id = b.id join build_kit k on k.build = b.id where b.charter = $1 order by b.number desc limit 1',
        [name],
      )) as { number: number; at: Date; files: Buffer }[];
      if (!last) return { changes: [] };
      const before = JSON.parse(gunzipSync(last.files).toString()) as Record<string, string>;
      const now = await ctx.compute.kitOf(estate, name, ctx.config.publicUrl);
      return {
        build: last.number,
        at: last.at.toISOString(),
        changes: fileChanges(new Map(Object.entries(before)), new Map(now.map((f) => [f.path, f.content]))),
      };
    },
  );

  /** Which lines of the kit come from which field of the charter: of the files of one host or of the cluster, or of one field everywhere. */
  app.get(
    '/api/charters/:name/files/lines',
    {
      config: { act: 'plan.read' },
      schema: {
        response: { '2xx': answers.KitLines },
        params: Named,
        querystring: z.union([
          z.strictObject({ of: z.union([z.literal('cluster'), words.Name]) }),
          z.strictObject({ field: z.string().max(120) }),
        ]),
      },
    },
    async (req) => {
      const { name } = req.params;
      const { estate } = await planOf(ctx, name);
      const { query } = req;
      return {
        fields: await ctx.compute.traceOf(
          estate,
          name,
          ctx.config.publicUrl,
          'of' in query ? { host: query.of } : { field: query.field },
        ),
      };
    },
  );

  app.get(
    '/api/charters/:name/kit.tar.gz',
    { config: { act: 'clusters.access' }, schema: { params: Named } },
    async (req, reply) => {
      const { name } = req.params;
      const { plan, estate } = await planOf(ctx, name);
      const files = await ctx.db.transaction(async (m) =>
        bootKit(
          await sealedContext(ctx, m, plan, estate, {
            server: ctx.config.publicUrl,
            bootUrl: (host) => `${ctx.config.publicUrl}/boot/(given by the build)/${host}`,
            reportUrl: (host) => `${ctx.config.publicUrl}/boot/(given by the build)/${host}`,
            installation: name,
          }),
        ),
      );
      await record(ctx.db.manager, req.who.login, 'downloaded the boot kit', name);
      return reply
        .header('content-type', 'application/gzip')
        .header('content-disposition', `attachment; filename="${name}-kit.tar.gz"`)
        .send(archive(`${name}-kit`, files));
    },
  );

  /** In the name of whoever asks, of one role of the cluster, and with an end. `via=planned` names the API as planned; `via=here` the place where it is reached from this server. */
  app.get(
    '/api/charters/:name/kubeconfig',
    {
      config: { act: 'clusters.view' },
      schema: {
        params: Named,
        querystring: z.strictObject({
          role: z.enum(clusterRoleNames).default('view'),
          hours: z.coerce.number().int().min(1).max(168).default(usualHours),
          via: z.enum(['planned', 'here']).default('planned'),
        }),
      },
    },
    async (req, reply) => {
      const { name } = req.params;
      const text = await handOut(ctx, name, req.principal, req.query);
      return reply
        .header('content-type', 'application/yaml')
        .header('cache-control', 'no-store')
        .header('content-disposition', `attachment; filename="${name}-${req.query.role}.kubeconfig"`)
        .send(text);
    },
  );
}

function fromText(text: string) {
  const { docs, faults } = readDocuments(text, 'charter');
  if (faults.length)
    throw new Refusal(
      'invalid',
      `The text cannot be taken: line ${faults[0]?.line}, ${faults[0]?.path ? `${faults[0].path}: ` : ''}${faults[0]?.message}`,
      { places: faults },
    );
  const [only, more] = docs;
  if (!only || more) throw new Refusal('invalid', 'The text must hold exactly one charter.');
  return only.doc;
}
