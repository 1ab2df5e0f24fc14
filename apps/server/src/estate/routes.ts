import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import {
  against,
  docsOf,
  type Edit,
  type Host,
  keyOf,
  kinds,
  readDocuments,
  type Kind,
  writeDocument,
} from '@praesidor/core/model';
import { record } from '../audit.ts';
import { may, needed, type Role } from '../auth/roles.ts';
import type { Context } from '../context.ts';
import { docTables } from '../db/tables.ts';
import { Refusal } from '../refusal.ts';
import { makeEdits, readDoc, refuseChangedSince, validDoc } from './documents.ts';
import { loadEstate } from './load.ts';

/** @throws Refusal when the change takes a role that the person has not. */
function allow(who: { login: string; role: Role }, edit: Parameters<typeof needed>[0]): void {
  const role = needed(edit);
  if (!may(who.role, role))
    throw new Refusal(
      'not-allowed',
      `To change a ${edit.kind.toLowerCase()}${edit.path ? ` (${edit.path.join('.')})` : ''} takes the role ${role}; ${who.login} is ${who.role}.`,
      { remedy: 'Ask a warden.' },
    );
}

/** States of hosts have acts and guards of their own; an edit does not go round them. @throws Refusal */
async function keepStates(ctx: Context, edits: readonly Edit[]): Promise<void> {
  for (const e of edits) {
    if (e.op === 'drop') continue;
    const kind = e.op === 'put' ? e.doc.kind : e.kind;
    if (kind !== 'Host') continue;
    const key = e.op === 'put' ? keyOf(e.doc) : e.key;
    const stands = (await readDoc(ctx.db.manager, 'Host', key))?.doc;
    if (!stands) continue;
    const field = guarded.find((f) =>
      e.op === 'put' ? JSON.stringify((e.doc as Host)[f]) !== JSON.stringify(stands[f]) : e.path[0] === f,
    );
    if (field)
      throw new Refusal('not-now', `${field} of ${key} is not set by hand: it is ${stands.state}, and acts lead from there.`, {
        remedy: `Open the page of ${key}; what can be done to it stands there.`,
      });
  }
}
const guarded = ['state', 'held', 'drained', 'wiped'] as const;

const ImportBody = z.strictObject({
  text: z.string().max(8_000_000),
  file: z.string().max(200).default('import'),
  revision: z.number().int().min(0).optional(),
});
const EditBody = z.strictObject({
  /** The last event that the person had seen: what was changed since is not overwritten. */
  revision: z.number().int().min(0).optional(),

  edits: z
    .array(z.looseObject({ op: z.enum(['set', 'put', 'drop']) }))
    .min(1)
    .max(1000),
  why: z.string().max(200),
});

export async function estate(app: FastifyInstance, { ctx }: { ctx: Context }) {
  /** Everything the browser computes with, and the versions it saves against. */
  app.get('/api/estate', { config: { role: 'reader' } }, async () => {
    const { estate: all, revision } = await loadEstate(ctx.db);
    const versions: Record<string, number> = {};
    for (const kind of ['Charter', 'Network', 'Site', 'Host'] as const)
      for (const r of await ctx.db.manager.find(docTables[kind], { select: { key: true, version: true } }))
        versions[`${kind} ${r.key}`] = r.version;
    return { estate: all, revision, versions };
  });

  /** Remedies and edits in place: described changes, made in one transaction, undone as one. */
  app.post('/api/edits', { config: { role: 'planner' }, schema: { body: EditBody } }, async (req) => {
    const { edits, why, revision } = req.body as { edits: Edit[]; why: string; revision?: number };
    for (const e of edits) {
      if (e.op === 'put') validDoc(e.doc);
      else if (!Object.hasOwn(kinds, e.kind)) throw new Refusal('invalid', `There is no kind ${String(e.kind).slice(0, 40)}.`);
      allow(req.who, e.op === 'put' ? { kind: e.doc.kind } : e.op === 'set' ? e : { kind: e.kind });
    }
    await keepStates(ctx, edits);
    return ctx.db.transaction(async (m) => {
      if (revision !== undefined)
        await refuseChangedSince(
          m,
          edits.map((e) => (e.op === 'put' ? { kind: e.doc.kind, key: keyOf(e.doc) } : e)),
          revision,
        );
      const inverse = await makeEdits(m, edits, req.who.login, why);
      return {
        act: await record(
          m,
          req.who.login,
          why,
          edits
            .map((e) => (e.op === 'put' ? e.doc.kind : `${e.kind} ${e.key}`))
            .join(', ')
            .slice(0, 300),
          {},
          inverse,
        ),
      };
    });
  });

  app.post(
    '/api/acts/:id/undo',
    { config: { role: 'planner' }, schema: { params: z.strictObject({ id: z.coerce.number().int() }) } },
    async (req) => {
      const { id } = req.params as { id: number };
      return ctx.db.transaction(async (m) => {
        const [row] = (await m.query('select act, subject, inverse, undone_by from audit where id = $1 for update', [id])) as {
          act: string;
          subject: string;
          inverse: Edit[] | null;
          undone_by: string | null;
        }[];
        if (!row?.inverse) throw new Refusal('not-found', 'There is nothing to undo in that act.');
        if (row.undone_by) throw new Refusal('not-now', 'It has been undone already.');
        // Who could do it can undo it; only what is a warden's alone is asked again.
        for (const e of row.inverse) if ((e.op === 'put' ? e.doc.kind : e.kind) === 'Site') allow(req.who, { kind: 'Site' });
        const inverse = await makeEdits(m, row.inverse, req.who.login, `undid: ${row.act}`);
        const undo = await record(m, req.who.login, `undid: ${row.act}`, row.subject, { of: id }, inverse);
        await m.query('update audit set undone_by = $2 where id = $1', [id, undo]);
        return { act: undo };
      });
    },
  );

  app.get('/api/acts', { config: { role: 'reader' } }, async () => ({
    acts: (await ctx.db.manager.query(
      'select id::int, at, who, act, subject, inverse is not null and undone_by is null as "canUndo" from audit order by id desc limit 200',
    )) as unknown[],
  }));

  app.get('/api/export', { config: { role: 'reader' } }, async (_req, reply) => {
    const { estate: all } = await loadEstate(ctx.db);
    return reply
      .type('application/yaml')
      .header('content-disposition', 'attachment; filename="estate.yaml"')
      .send(docsOf(all).map(writeDocument).join('---\n'));
  });

  /** Documents as text. What already stands as written is left alone; with `revision`, so is what somebody changed since. */
  app.post('/api/import', { config: { role: 'planner' }, bodyLimit: 8_000_000, schema: { body: ImportBody } }, async (req) => {
    const { text, file, revision } = req.body as z.infer<typeof ImportBody>;
    const { docs, faults } = readDocuments(text, file);
    if (faults.length)
      throw new Refusal(
        'invalid',
        `Nothing was imported: ${faults.length} ${faults.length === 1 ? 'fault' : 'faults'}, the first in line ${faults[0]?.line}: ${faults[0]?.message}`,
        { places: faults.slice(0, 100) },
      );
    const { estate: standing } = await loadEstate(ctx.db);
    const differences = against(
      standing,
      docs.map((d) => d.doc),
    );
    const wanted = docs.map((d) => d.doc).filter((_, i) => differences[i]?.what !== 'same');
    for (const doc of wanted) allow(req.who, doc);
    const order = Object.keys(kinds) as Kind[];
    const edits = wanted.sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind)).map((doc): Edit => ({ op: 'put', doc }));
    return ctx.db.transaction(async (m) => {
      if (revision !== undefined)
        await refuseChangedSince(
          m,
          wanted.map((d) => ({ kind: d.kind, key: keyOf(d) })),
          revision,
        );
      const inverse = await makeEdits(m, edits, req.who.login, 'imported');
      const act = await record(
        m,
        req.who.login,
        'imported',
        file,
        { documents: wanted.length },
        inverse.length ? inverse : undefined,
      );
      const count = (what: string) => differences.filter((d) => d.what === what).length;
      return { documents: docs.length, added: count('new'), changed: count('changed'), same: count('same'), act };
    });
  });
}
