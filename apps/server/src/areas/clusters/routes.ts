import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import { adminAccess, bootKit, kubeconfigText } from '@praesidor/core/files';
import { type Charter, readDocuments, words } from '@praesidor/core/model';
import { detour } from '@praesidor/protocols/dial';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { CharterRevisions } from '../../db/tables.ts';
import { readDoc, validDoc } from '../../estate/documents.ts';
import { Refusal } from '../../refusal.ts';
import { archive, openContext, sealedContext, sha256 } from './kit.ts';
import { hold, planOf, saveCharter } from './service.ts';

const Named = z.strictObject({ name: words.Name });
const Save = z.strictObject({
  doc: z.unknown().optional(),
  text: z.string().max(1_000_000).optional(),
  version: z.number().int().min(0),
  note: z.string().max(200).default(''),
  hold: z.boolean().default(true),
});

export async function clusters(app: FastifyInstance, { ctx }: { ctx: Context }) {
  app.get('/api/charters/:name', { config: { role: 'reader' }, schema: { params: Named } }, async (req) => {
    const { name } = req.params as { name: string };
    const { plan, version } = await planOf(ctx, name);
    return {
      doc: plan.charter,
      version,
      revisions: await ctx.db.manager.find(CharterRevisions, {
        where: { charter: name },
        order: { revision: 'DESC' },
        take: 100,
      }),
    };
  });

  /** Saves the sheet's document or the text; both are the same document and pass the same schema. */
  app.put('/api/charters/:name', { config: { role: 'planner' }, schema: { params: Named, body: Save } }, async (req) => {
    const { name } = req.params as { name: string };
    const body = req.body as z.infer<typeof Save>;
    const charter = body.text === undefined ? validDoc(body.doc) : fromText(body.text);
    if (charter.kind !== 'Charter') throw new Refusal('invalid', `This is a ${charter.kind}, not a charter.`);
    if (charter.name !== name)
      throw new Refusal('invalid', `The charter of ${name} cannot be renamed to ${charter.name}.`, {
        places: [{ path: 'name', message: `must stay ${name}` }],
        remedy: 'Make a new charter and tear this one down.',
      });
    return ctx.db.transaction(async (m) => {
      const before = await readDoc(m, 'Charter', name);
      const saved = await saveCharter(m, charter, body.version, body.note, req.who.login);
      const held = body.hold ? await hold(m, name, req.who.login) : { hosts: [], addresses: [], released: [], inverse: [] };
      const act = await record(
        m,
        req.who.login,
        'saved the charter',
        name,
        { revision: saved.revision, hosts: held.hosts, addresses: held.addresses, released: held.released },
        before ? [...held.inverse, { op: 'put', doc: before.doc as Charter }] : undefined,
      );
      return { ...saved, held: { hosts: held.hosts, addresses: held.addresses, released: held.released }, act };
    });
  });

  app.post('/api/charters/:name/hold', { config: { role: 'planner' }, schema: { params: Named } }, async (req) => {
    const { name } = req.params as { name: string };
    return ctx.db.transaction(async (m) => {
      const h = await hold(m, name, req.who.login);
      return {
        hosts: h.hosts,
        addresses: h.addresses,
        released: h.released,
        act: await record(m, req.who.login, 'held what follows', name, { hosts: h.hosts, addresses: h.addresses }, h.inverse),
      };
    });
  });

  /** The kit to look at: secrets are named, not shown. */
  app.get('/api/charters/:name/files', { config: { role: 'reader' }, schema: { params: Named } }, async (req) => {
    const { plan, estate } = await planOf(ctx, (req.params as { name: string }).name);
    return { files: bootKit(openContext(plan, estate)).map((f) => ({ ...f, sha256: sha256(f.content) })) };
  });

  app.get('/api/charters/:name/kit.tar.gz', { config: { role: 'builder' }, schema: { params: Named } }, async (req, reply) => {
    const { name } = req.params as { name: string };
    const { plan, estate } = await planOf(ctx, name);
    const files = await ctx.db.transaction(async (m) =>
      bootKit(await sealedContext(ctx, m, plan, estate, (host) => `${ctx.config.publicUrl}/boot/(given by the build)/${host}`)),
    );
    await record(ctx.db.manager, req.who.login, 'downloaded the boot kit', name);
    return reply
      .header('content-type', 'application/gzip')
      .header('content-disposition', `attachment; filename="${name}-kit.tar.gz"`)
      .send(archive(`${name}-kit`, files));
  });

  /** `via=planned` names the API as planned; `via=here` the place where it is reached from this server. */
  app.get(
    '/api/charters/:name/kubeconfig',
    {
      config: { role: 'builder' },
      schema: { params: Named, querystring: z.strictObject({ via: z.enum(['planned', 'here']).default('planned') }) },
    },
    async (req, reply) => {
      const { name } = req.params as { name: string };
      const { via } = req.query as { via: string };
      const { plan, estate } = await planOf(ctx, name);
      const context = await ctx.db.transaction((m) => sealedContext(ctx, m, plan, estate, () => ''));
      const access = adminAccess(context);
      const here = detour(ctx.config.detours, plan.api.address, 6443);
      await record(ctx.db.manager, req.who.login, 'took the kubeconfig', name, { via });
      return reply
        .header('content-type', 'application/yaml')
        .header('content-disposition', `attachment; filename="${name}.kubeconfig"`)
        .send(
          kubeconfigText(
            context,
            via === 'here' ? { ...access, server: `https://${here.host}:${here.port}`, serverName: plan.api.name } : access,
          ),
        );
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
