import * as answers from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { Readable } from 'node:stream';
import type { App } from '../app-type.ts';
import { z } from 'zod';
import { type Change, type Doc, type Edit, keyOf, kinds, type Kind, words } from '@praesidor/core/model';
import { permit } from '../access/permit.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Snapshots } from './snapshot.ts';
import { Refusal } from '../refusal.ts';
import { changePlan, mergeDocs, takeBack } from './change.ts';
import { validDoc } from './documents.ts';
import { EditsTogether } from './edits-together.ts';
import { planAsText } from './export.ts';
import { differenceOf } from './read-routes.ts';

const KindName = z.enum(Object.keys(kinds) as [Kind, ...Kind[]]);
/** What tells one document of a kind from another: printable text. */
const Key = z
  .string()
  .min(1)
  .max(1600)
  .refine((t) => !words.unprintable(t), 'a key is printable text');
const Step = z.union([z.string().min(1).max(80), z.number().int().min(0).max(10_000)]);
const Path = z
  .array(Step)
  .min(1, 'the path of a field has at least one step')
  .max(12)
  .refine((p) => !['kind', 'apiVersion'].includes(String(p[0])), 'kind and apiVersion stay as they are')
  .refine((p) => !p.some((k) => ['__proto__', 'constructor', 'prototype'].includes(String(k))), 'no such field');
const EditBody = z.strictObject({
  /** The last position that the person had seen: what was changed since is not overwritten. */
  revision: z.number().int().min(0).optional(),
  edits: z
    .array(
      z.discriminatedUnion('op', [
        z.strictObject({ op: z.literal('set'), kind: KindName, key: Key, path: Path, value: z.unknown().optional() }),
        z.strictObject({ op: z.literal('put'), doc: z.record(z.string(), z.unknown()) }),
        z.strictObject({ op: z.literal('drop'), kind: KindName, key: Key }),
      ]),
    )
    .min(1)
    .max(1000),
  why: z.string().max(200),
});
const ImportBody = z.strictObject({
  text: z.string().max(64_000_000),
  file: z.string().max(200).default('import'),
  revision: z.number().int().min(0).optional(),
  /** Refused where a check would stop something that nothing stops now. */
  unstopped: z.boolean().default(false),
  /** Documents as they stood when the person began: others' changes since are kept, field by field. */
  base: z.array(z.unknown()).max(1000).optional(),
});
const importLimit = 80_000_000;

export async function estate(app: App, { ctx }: { ctx: Context }) {
  const snapshots = new Snapshots(ctx.db);
  const together = new EditsTogether(ctx.db);
  /**
   * Everything the browser computes with, and the versions it saves against; whoever has this state already is told so, and who has an
   * earlier one is told what has changed since.
   */
  app.get(
    '/api/estate',
    {
      config: { act: 'plan.read' },
      schema: {
        querystring: answers.SnapshotQuery,
        response: { '2xx': z.union([answers.Snapshot, answers.SnapshotDifference]) },
      },
    },
    async (req, reply) => {
      const { since } = req.query;
      const told = since === undefined ? undefined : await snapshots.since(since);
      const { etag, text, zipped } = told ?? (await snapshots.whole(req.query.for === 'page'));
      reply.header('etag', etag).header('cache-control', 'private, no-cache').header('vary', 'accept-encoding');
      if (req.headers['if-none-match'] === etag) return reply.status(304).send(undefined as never);
      // The text was made once for everybody, and is sent as it is.
      reply.type('application/json; charset=utf-8');
      return /\bgzip\b/.test(req.headers['accept-encoding'] ?? '')
        ? reply.header('content-encoding', 'gzip').send(zipped as never)
        : reply.send(text as never);
    },
  );

  /** Remedies and edits in place: described changes, made in one transaction, undone as one. */
  app.post(
    '/api/edits',
    { config: { act: 'plan.edit' }, schema: { response: { '2xx': answers.Act }, body: EditBody } },
    async (req) => {
      const body = req.body;
      const edits = body.edits.map((e): Edit => (e.op === 'put' ? { op: 'put', doc: validDoc(e.doc) } : (e as Edit)));
      return { act: await together.ask({ who: req.principal, edits, why: body.why, revision: body.revision }) };
    },
  );

  app.post(
    '/api/acts/:id/undo',
    {
      config: { act: 'plan.undo' },
      schema: {
        response: { '2xx': answers.Act },
        params: z.strictObject({
          id: z.coerce
            .number()
            .int()
            .min(1)
            .max(2 ** 53),
        }),
      },
    },
    async (req) => {
      const { id } = req.params;
      return ctx.db.transaction(async (m) => {
        const [row] = (await m.query(
          'select a.at, a.act, a.subject, a.changes, a.under, (select u.id from audit u where u.undoes = a.id) as undone_by from audit a where a.id = $1 for update',
          [id],
        )) as { at: Date; act: string; subject: string; changes: Change[] | null; under: never; undone_by: string | null }[];
        if (!row?.changes) throw new Refusal('not-found', 'There is nothing to undo in that act.');
        if (row.undone_by) throw new Refusal('not-now', 'It has been undone already.');
        // Undoing takes what the act itself took, and what its documents take.
        permit(req.principal, row.under, undefined, 'anywhere');
        const note = `undid: ${row.act}`;
        const changes = await takeBack(m, req.principal, row.changes, row.at, note);
        const undo = await record(m, req.who.login, note, row.subject, { of: id }, changes, row.under, { undoes: id });
        return { act: undo };
      });
    },
  );

  app.get('/api/export', { config: { act: 'plan.read' } }, async (_req, reply) =>
    reply
      .type('application/yaml')
      .header('content-disposition', 'attachment; filename="estate.yaml"')
      .send(Readable.from(planAsText(ctx.db, ctx.compute))),
  );

  /** Documents as text. What already stands as written is left alone; with `revision` or `base`, so is what somebody changed since. */
  app.post(
    '/api/import',
    {
      config: { act: 'plan.import' },
      bodyLimit: importLimit,
      schema: { response: { '2xx': answers.Imported }, body: ImportBody },
    },
    async (req) => {
      const { text, file, revision, base, unstopped } = req.body;
      const { docs, faults } = await ctx.compute.run('readDocuments', { text, file });
      if (faults.length)
        throw new Refusal(
          'invalid',
          `Nothing was imported: ${counted(faults.length, 'fault')}, the first in line ${faults[0]?.line}: ${faults[0]?.message}`,
          { places: faults.slice(0, 100) },
        );
      const twice = secondOf(docs);
      if (twice)
        throw new Refusal(
          'invalid',
          `Nothing was imported: ${twice.doc.kind} ${keyOf(twice.doc)} is listed twice, again in line ${twice.line}.`,
          { places: [{ file, line: twice.line, message: 'declared twice' }] },
        );
      if (unstopped) {
        const { come } = await differenceOf(
          ctx,
          req.principal,
          docs.map((d) => d.doc),
        );
        const stops = come.filter((f) => f.severity === 'stop');
        if (stops.length)
          throw new Refusal(
            'not-now',
            `Nothing was imported: ${counted(stops.length, 'finding would stop', 'findings would stop')} something. ${stops[0]?.code} ${stops[0]?.title}.`,
            {
              places: stops
                .slice(0, 100)
                .map((f) => ({ code: f.code, message: `${f.subject.kind} ${f.subject.name}: ${f.title}` })),
              remedy: 'Settle it in the files, or declare them all the same.',
            },
          );
      }
      return ctx.db.transaction(async (m) => {
        const how = { act: 'plan.import', via: 'hand', note: 'imported' } as const;
        const wanted = docs.map((d) => d.doc);
        const changes = base
          ? await mergeDocs(m, req.principal, pairs(wanted, base), how)
          : await changePlan(
              m,
              req.principal,
              wanted.map((doc): Edit => ({ op: 'put', doc })),
              { ...how, revision },
            );
        const act = await record(m, req.who.login, 'imported', file, { documents: changes.length }, changes, 'plan.import');
        const added = changes.filter((c) => !c.before).length;
        return { documents: docs.length, added, changed: changes.length - added, same: docs.length - changes.length, act };
      });
    },
  );
}

/** The first document that has stood in the text before, if any. */
function secondOf<D extends { doc: Doc }>(docs: readonly D[]): D | undefined {
  const seen = new Set<string>();
  return docs.find((d) => {
    const name = `${d.doc.kind} ${keyOf(d.doc)}`;
    return seen.has(name) || !seen.add(name);
  });
}

/** Each document with the one that the person began it from. */
function pairs(wanted: readonly Doc[], base: readonly unknown[]): { base: Doc | null; mine: Doc }[] {
  const from = new Map(base.map(validDoc).map((d) => [`${d.kind} ${keyOf(d)}`, d]));
  return wanted.map((mine) => ({ base: from.get(`${mine.kind} ${keyOf(mine)}`) ?? null, mine }));
}
