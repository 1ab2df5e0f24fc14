import * as answers from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { Readable } from 'node:stream';
import type { App } from '../app-type.ts';
import { z } from 'zod';
import { type Change, type Doc, type Edit, keyOf } from '@praesidor/core/model';
import { permit } from '../access/permit.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Snapshots } from './snapshot.ts';
import { Refusal } from '../refusal.ts';
import { changePlan, mergeDocs, takeBack } from './change.ts';
import { validDoc } from './documents.ts';
import { documentsIn, EditList, editsIn } from './edit-body.ts';
import { EditsTogether } from './edits-together.ts';
import { planAsText } from './export.ts';
import { differenceOf } from './read-routes.ts';

const EditBody = z.strictObject({
  /** The last position that the person had seen: what was changed since is not overwritten. */
  revision: z.number().int().min(0).optional(),
  edits: EditList,
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
      const edits = editsIn(body.edits);
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
      const wanted = await documentsIn(ctx, { text, file }, 'Nothing was imported');
      if (unstopped) {
        const { come } = await differenceOf(ctx, req.principal, wanted);
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
        return { documents: wanted.length, added, changed: changes.length - added, same: wanted.length - changes.length, act };
      });
    },
  );
}

/** Each document with the one that the person began it from. */
function pairs(wanted: readonly Doc[], base: readonly unknown[]): { base: Doc | null; mine: Doc }[] {
  const from = new Map(base.map(validDoc).map((d) => [`${d.kind} ${keyOf(d)}`, d]));
  return wanted.map((mine) => ({ base: from.get(`${mine.kind} ${keyOf(mine)}`) ?? null, mine }));
}
