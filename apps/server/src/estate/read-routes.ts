import * as answers from '@praesidor/contract';
import { type Change, differences, type Doc, find, type Kind, keyOf, kinds } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { z } from 'zod';
import type { App } from '../app-type.ts';
import type { Context } from '../context.ts';
import { readFrom } from '../db/tables.ts';
import { Refusal } from '../refusal.ts';
import { permitted } from './change.ts';
import { type Standing, readDoc } from './documents.ts';
import { loadEstate, thisMinute } from './load.ts';

const Which = z.strictObject({ kind: z.string().max(40) });
const One = z.strictObject({ kind: z.string().max(40), key: z.string().min(1).max(1600) });
const Asked = z.strictObject({
  site: z.string().max(60).optional(),
  /** The key of the last one that was seen. */
  after: z.string().max(1600).optional(),
  limit: z.coerce.number().int().min(1).max(1000).default(1000),
});
/** @throws Refusal with the kinds that there are */
function kindOf(text: string): Kind {
  const kind = (Object.keys(kinds) as Kind[]).find((k) => k.toLowerCase() === text.toLowerCase());
  if (!kind) throw new Refusal('not-found', `There is no kind ${text}; kinds are ${Object.keys(kinds).join(', ')}.`);
  return kind;
}

/** Documents as they stand, and what a text would change, without changing it: what a repository is held against. */
export async function readRoutes(app: App, { ctx }: { ctx: Context }) {
  const read = { act: 'plan.read' } as const;

  /** In the order of their keys, a page at a time: `after` is the key of the last one seen. */
  app.get(
    '/api/documents/:kind',
    { config: read, schema: { response: { '2xx': answers.Documents }, params: Which, querystring: Asked } },
    async (req) => {
      const { site, after, limit } = req.query;
      const rows = (await ctx.db.manager.query(
        `select key, doc, version, updated_by as by, updated_at as at from ${readFrom[kindOf(req.params.kind)]}
         where key > $1 and ($2::text is null or doc->>'site' = $2) order by key limit $3`,
        [after ?? '', site ?? null, limit],
      )) as (Standing & { key: string })[];
      return { documents: rows as z.input<typeof answers.StandingDocument>[] };
    },
  );
  app.get(
    '/api/documents/:kind/:key',
    { config: read, schema: { response: { '2xx': answers.StandingDocument }, params: One } },
    async (req) => {
      const kind = kindOf(req.params.kind);
      const found = await readDoc(ctx.db.manager, kind, req.params.key);
      if (!found) throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${req.params.key}.`);
      return { key: req.params.key, ...found } as z.input<typeof answers.StandingDocument>;
    },
  );

  /** What documents as text would change, field by field, what would be found then, and whether whoever asks may do it. Nothing is changed. */
  app.post(
    '/api/difference',
    {
      config: read,
      bodyLimit: 80_000_000,
      schema: {
        response: { '2xx': answers.Difference },
        body: z.strictObject({ text: z.string().max(64_000_000), file: z.string().max(200).default('import') }),
      },
    },
    async (req) => {
      const { docs, faults } = await ctx.compute.run('readDocuments', req.body);
      if (faults.length)
        throw new Refusal(
          'invalid',
          `${counted(faults.length, 'fault')}, the first in line ${faults[0]?.line}: ${faults[0]?.message}`,
          {
            places: faults.slice(0, 100),
          },
        );
      return differenceOf(
        ctx,
        req.principal,
        docs.map((d) => d.doc),
      );
    },
  );
}

/** What declaring documents changes, in the plan as it stands now. */
export async function differenceOf(
  ctx: Context,
  who: Parameters<typeof permitted>[1],
  docs: Doc[],
): Promise<z.input<typeof answers.Difference>> {
  const { estate, revision } = await loadEstate(ctx.db, thisMinute());
  const wanted = docs.map((doc): Change => {
    const key = keyOf(doc);
    return { kind: doc.kind, key, before: find(estate, doc.kind, key) ?? null, after: doc };
  });
  let refused: string | undefined;
  const changes = await permitted(ctx.db.manager, who, wanted, { act: 'plan.import', via: 'hand' }).catch((e: unknown) => {
    if (!(e instanceof Refusal)) throw e;
    refused = e.message;
    return wanted.filter((c) => differences(c.before, c.after).length > 0);
  });
  const { come, go } = await ctx.compute.consequencesOf(
    estate,
    changes.flatMap((c) => (c.after ? [c.after] : [])),
  );
  return {
    revision,
    same: docs.length - changes.length,
    changes: changes.map(({ kind, key, before, after }) => ({
      kind,
      key,
      what: before ? ('changed' as const) : ('added' as const),
      fields: before
        ? differences(before, after).map((f) => ({
            path: f.path.join('.'),
            ...(f.before === undefined ? {} : { before: f.before }),
            ...(f.after === undefined ? {} : { after: f.after }),
          }))
        : [],
    })),
    come: come.map(told),
    go: go.map(told),
    refused: refused ?? null,
  };
}
const told = ({ code, severity, subject, title, text, site, charters }: answers.ToldFinding): answers.ToldFinding => ({
  code,
  severity,
  subject,
  title,
  text,
  site,
  charters,
});
