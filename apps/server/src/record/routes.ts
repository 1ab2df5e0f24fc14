import { Readable } from 'node:stream';
import * as answers from '@praesidor/contract';
import { type Change, differences, words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../app-type.ts';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { findActs } from './find.ts';
import type { Broken } from './seal.ts';
import { whatChanged } from './since.ts';

const text = z.string().min(1).max(200);
/** Shorter ones are in everything, and no index knows them. */
const Part = z.string().min(3, 'at least 3 characters').max(200);
const Asked = z.strictObject({
  before: z.coerce.number().int().min(1).optional(),
  limit: z.coerce.number().int().min(1).max(1000).default(200),
  who: text.optional(),
  token: text.optional(),
  /** Part of what was done, or of what it was done to. */
  text: Part.optional(),
  from: words.Instant.optional(),
  to: words.Instant.optional(),
});
const One = z.strictObject({
  id: z.coerce
    .number()
    .int()
    .min(1)
    .max(2 ** 53),
});
/** Fields that are told of one act at the most. */
const mostFields = 500;

/** The record: who did what, when, from where, and what was before and after. */
export async function recordRoutes(app: App, { ctx }: { ctx: Context }) {
  const read = { act: 'record.read' } as const;

  /** Newest first, a page at a time: `before` is the number of the last one seen. */
  app.get(
    '/api/acts',
    { config: read, schema: { response: { '2xx': answers.RecordedActs }, querystring: Asked } },
    async (req) => ({ acts: await findActs(ctx.db.manager, req.query) }),
  );

  /** One act, with each field that it changed, before and after. */
  app.get('/api/acts/:id', { config: read, schema: { response: { '2xx': answers.WholeAct }, params: One } }, async (req) => {
    const [row] = (await ctx.db.manager.query(
      `select a.id::int as id, a.at, a.who, a.act, a.subject, a.token, a.address, a.detail, a.changes, a.undoes::int as undoes,
          (select u.id::int from audit u where u.undoes = a.id) as "undoneBy" from audit a where a.id = $1`,
      [req.params.id],
    )) as (Record<'who' | 'act' | 'subject', string> & {
      id: number;
      at: Date;
      token: string | null;
      address: string | null;
      detail: Record<string, unknown>;
      changes: Change[] | null;
      undoes: number | null;
      undoneBy: number | null;
    })[];
    if (!row) throw new Refusal('not-found', `There is no act ${req.params.id} on record.`);
    const { changes, ...act } = row;
    const fields = (changes ?? []).flatMap((c) =>
      differences(c.before, c.after).map((f) => ({
        kind: c.kind,
        key: c.key,
        path: f.path.join('.'),
        ...(f.before === undefined ? {} : { before: f.before }),
        ...(f.after === undefined ? {} : { after: f.after }),
      })),
    );
    return { ...act, fields: fields.slice(0, mostFields), more: Math.max(0, fields.length - mostFields) };
  });

  /** What happened since a moment; without one since whoever asks was here last. */
  app.get(
    '/api/acts/since',
    {
      config: read,
      schema: { response: { '2xx': answers.WhatChanged }, querystring: z.strictObject({ from: words.Instant.optional() }) },
    },
    async (req) => whatChanged(ctx.db.manager, req.who.login, req.query.from),
  );

  /** Whether what is on record is what was put down: up to which act it is sealed, and what does not fit its seal. */
  app.get('/api/acts/seal', { config: read, schema: { response: { '2xx': answers.RecordSeal } } }, async () => {
    const [last] = (await ctx.db.manager.query(
      "select last::int as last, at, encode(digest, 'hex') as digest from audit_seal order by n desc limit 1",
    )) as { last: number; at: Date; digest: string }[];
    const [check] = (await ctx.db.manager.query('select at, broken from audit_check')) as { at: Date; broken: Broken[] }[];
    return { sealed: last ?? null, checkedAt: check?.at ?? null, broken: check?.broken ?? [] };
  });

  /** The whole record as JSON lines, oldest first, a page of the database at a time: it may be years long. */
  app.get('/api/acts/export', { config: read }, async (_req, reply) => {
    async function* lines() {
      for (let after = 0; ; ) {
        const rows = (await ctx.db.manager.query(
          'select id::int as id, at, who, token, address, act, subject, detail, undoes::int as undoes from audit where id > $1 order by id limit 1000',
          [after],
        )) as { id: number }[];
        if (!rows.length) return;
        yield `${rows.map((r) => JSON.stringify(r)).join('\n')}\n`;
        after = rows.at(-1)?.id ?? after;
      }
    }
    return reply
      .type('application/jsonl; charset=utf-8')
      .header('content-disposition', 'attachment; filename="record.jsonl"')
      .send(Readable.from(lines()));
  });
}
