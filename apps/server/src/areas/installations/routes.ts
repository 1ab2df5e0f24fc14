import * as answers from '@praesidor/contract';
import { bundleLimits } from '@praesidor/core/bundles';
import { type Kind, kinds, words } from '@praesidor/core/model';
import { keyFingerprint } from '@praesidor/shipping';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { instanceKey } from '../images/instance.ts';
import { makeBundle } from './make.ts';
import { contentOf, needBundle, needOther } from './rows.ts';
import { exchanged, leaveOut, setSites } from './service.ts';
import { bring, takeIn, wouldChange } from './take-in.ts';

const Named = z.strictObject({ name: words.Line(80, 1) });
const One = z.strictObject({
  id: z.coerce
    .number()
    .int()
    .min(1)
    .max(2 ** 31 - 1),
});
const Choices = z.strictObject({
  choices: z
    .array(
      z.strictObject({
        kind: z.enum(Object.keys(kinds) as [Kind, ...Kind[]]),
        key: z.string().max(4400),
        path: z.array(z.union([z.string().max(200), z.number().int()])).max(40),
        keep: z.enum(['here', 'there']),
      }),
    )
    .max(100_000)
    .default([]),
});

/** Other installations: the part of the plan that goes to them, and what comes back, as files that are carried. */
export async function installations(app: App, { ctx }: { ctx: Context }) {
  app.addContentTypeParser('application/gzip', { parseAs: 'buffer', bodyLimit: bundleLimits.bytes }, (_req, body, done) =>
    done(null, body),
  );
  const read = { act: 'plan.read' } as const;
  const make = { act: 'bundles.make' } as const;
  const take = { act: 'bundles.take-in' } as const;

  app.get('/api/installations', { config: read, schema: { response: { '2xx': answers.OtherInstallations } } }, async () => {
    const { name, key } = await instanceKey(ctx.config, ctx.db.manager);
    return { own: { name, key, fingerprint: keyFingerprint(key) }, others: await exchanged(ctx.db.manager) };
  });
  /** Says at which sites an installation stands: their plan goes there, and what is known of them comes from there. */
  app.put(
    '/api/installations/:name/sites',
    {
      config: { act: 'trust.change' },
      schema: {
        params: Named,
        body: z.strictObject({ sites: z.array(words.Name).max(10_000) }),
        response: { '2xx': answers.Nothing },
      },
    },
    async (req) => {
      await ctx.db.transaction((m) => setSites(m, req.params.name, req.body.sites, req.who.login));
      return {};
    },
  );
  app.post(
    '/api/installations/:name/bundles',
    { config: make, schema: { params: Named, response: { '2xx': answers.BundleMade } } },
    async (req, reply) => reply.status(201).send(await makeBundle(ctx, req.params.name, req.who.login)),
  );
  /** The bundle as a file: an archive (tar, gzip), to be carried. */
  app.get('/api/bundles/:id/file', { config: make, schema: { params: One } }, async (req, reply) => {
    const m = ctx.db.manager;
    const b = await needBundle(m, req.params.id);
    const content = await contentOf(m, b);
    await record(m, req.who.login, 'took out a bundle', `${b.sites.join(' ')} ${b.number}`);
    return reply
      .type('application/gzip')
      .header('content-disposition', `attachment; filename="bundle-${b.sites.slice(0, 3).join('-')}-${b.number}.tar.gz"`)
      .send(content);
  });
  /** A bundle that was carried here: verified and kept, to be looked at. Nothing is changed. */
  app.post(
    '/api/bundles',
    { config: take, bodyLimit: bundleLimits.bytes, schema: { response: { '2xx': answers.BundleBrought } } },
    async (req, reply) => {
      if (!Buffer.isBuffer(req.body))
        throw new Refusal('invalid', 'A bundle comes as the file that was made there (application/gzip).');
      return reply.status(201).send(await bring(ctx, req.body, req.who.login));
    },
  );
  app.get(
    '/api/bundles/:id',
    { config: read, schema: { params: One, response: { '2xx': answers.BundleChanges } } },
    async (req) => wouldChange(ctx, req.params.id),
  );
  app.post(
    '/api/bundles/:id/take-in',
    { config: take, schema: { params: One, body: Choices, response: { '2xx': answers.BundleTaken } } },
    async (req) => takeIn(ctx, req.params.id, req.body.choices, req.principal),
  );
  app.delete('/api/bundles/:id', { config: take, schema: { params: One, response: { '2xx': answers.Nothing } } }, async (req) => {
    await ctx.db.transaction((m) => leaveOut(m, req.params.id, req.who.login));
    return {};
  });
  /** Evidence of a change that another installation carried out, as it was brought. */
  app.get(
    '/api/installations/:name/changes/:charter/:number/evidence.tar.gz',
    {
      config: read,
      schema: { params: Named.extend({ charter: words.Name, number: z.coerce.number().int().min(1) }) },
    },
    async (req, reply) => {
      const { name, charter, number } = req.params;
      const { key } = await needOther(ctx.db.manager, name);
      const [row] = (await ctx.db.manager.query(
        'select evidence from brought_change where key = $1 and charter = $2 and number = $3',
        [key, charter, number],
      )) as { evidence: Buffer }[];
      if (!row) throw new Refusal('not-found', `No evidence of change ${number} of ${charter} was brought from ${name}.`);
      return reply
        .type('application/gzip')
        .header('content-disposition', `attachment; filename="${charter}-build-${number}.tar.gz"`)
        .send(row.evidence);
    },
  );
}
