import * as answers from '@praesidor/contract';
import { askedBy, type Principal } from '@praesidor/core/access';
import { differences, type Doc, type Edit, type Rebased, words } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { z } from 'zod';
import { fourEyesIn } from '../../access/permit.ts';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { validDoc } from '../../estate/documents.ts';
import { documentsIn, EditList, editsIn, OneDocument } from '../../estate/edit-body.ts';
import { Refusal } from '../../refusal.ts';
import { approveRun, waitingRuns } from './runs.ts';
import { addTo, approve, begin, beginUndo, comment, decide, leaveOut, make, takeApprovalBack, withdraw } from './service.ts';
import { approvalsOf, digestOf, inWhatStands, listProposals, needProposal } from './store.ts';

const One = z.strictObject({
  id: z.coerce
    .number()
    .int()
    .min(1)
    .max(2 ** 31 - 1),
});
const Title = words.Line(120, 3);
const Why = words.Line(1000).default('');
/** What was seen when somebody decided: what `GET /api/proposals/:id` told as `digest`. */
const Seen = z.strictObject({ digest: z.string().regex(/^[0-9a-f]{64}$/, 'the digest that the proposal was shown with') });
/** Text of several lines. */
const Said = z
  .string()
  .trim()
  .min(1, 'something is said')
  .max(2000)
  .refine((t) => !words.unprintable(t.replace(/\r?\n/g, ' ')), 'what is said is printable text');
/** Changes as edits, or as documents in a text; with `base`, as the person saw them. */
const some = {
  edits: EditList.optional(),
  text: z.string().min(1).max(8_000_000).optional(),
  base: z.array(z.unknown()).max(1000).optional(),
};
const Begin = z.strictObject({
  title: Title,
  why: Why,
  ...some,
  /** Number of an act in the record that it takes back. */
  undoes: z
    .number()
    .int()
    .min(1)
    .max(2 ** 53)
    .optional(),
});
const largest = 10_000_000;

/** Sets of changes that are kept as drafts, seen and commented on by others, approved where that is asked for, and made as one act. */
export async function proposals(app: App, { ctx }: { ctx: Context }) {
  const read = { act: 'plan.read' } as const;
  const write = { act: 'proposals.write' } as const;

  app.post(
    '/api/proposals',
    {
      config: write,
      bodyLimit: largest,
      schema: { body: Begin, response: { '2xx': answers.ProposalBegun } },
    },
    async (req, reply) => {
      const { title, why, undoes, ...body } = req.body;
      if ([body.edits, body.text, undoes].filter((x) => x !== undefined).length !== 1)
        throw new Refusal(
          'invalid',
          'A proposal begins with edits, with a text of documents, or with an act that it takes back.',
          {
            remedy: 'Send one of edits, text and undoes.',
          },
        );
      const id =
        undoes === undefined
          ? await doing(body, (m, edits, bases) => begin(m, req.principal, { title, why, edits, bases }))
          : await ctx.db.transaction((m) => beginUndo(m, req.principal, undoes, { title, why }));
      return reply.status(201).send({ id });
    },
  );

  app.get('/api/proposals', { config: read, schema: { response: { '2xx': answers.Proposals } } }, async () => ({
    proposals: await listProposals(ctx.db.manager, await fourEyesIn(ctx.db.manager)),
  }));

  /** One with each change as it would be made in what stands now, and what collides. */
  app.get(
    '/api/proposals/:id',
    { config: read, schema: { params: One, response: { '2xx': answers.WholeProposal } } },
    async (req) => whole(ctx.db.manager, req.params.id),
  );

  /** Puts more into it. */
  app.post(
    '/api/proposals/:id/changes',
    {
      config: write,
      bodyLimit: largest,
      schema: { params: One, body: z.strictObject(some), response: { '2xx': answers.Nothing } },
    },
    async (req) => {
      if ((req.body.edits === undefined) === (req.body.text === undefined))
        throw new Refusal('invalid', 'Changes are edits, or a text of documents.', { remedy: 'Send one of edits and text.' });
      await doing(req.body, (m, edits, bases) => addTo(m, req.principal, req.params.id, edits, bases));
      return {};
    },
  );

  const act = <B extends z.ZodType>(
    name: string,
    config: { act: 'proposals.write' | 'proposals.approve' },
    body: B,
    perform: (m: EntityManager, who: Principal, id: number, body: z.output<B>) => Promise<void>,
  ) =>
    app.post(
      `/api/proposals/:id/${name}`,
      { config, schema: { params: One, body, response: { '2xx': answers.Nothing } } },
      async (req) => {
        await ctx.db.transaction((m) => perform(m, req.principal, req.params.id, body.parse(req.body)));
        return {};
      },
    );
  const nothing = z.preprocess((v) => v ?? {}, z.strictObject({}));
  const Decide = OneDocument.extend({
    path: z.array(z.union([z.string().max(80), z.number().int()])).max(12),
    keep: z.enum(['proposed', 'standing']),
  });
  act('leave-out', write, OneDocument, leaveOut);
  act('decide', write, Decide, (m, who, id, { keep, ...about }) =>
    decide(m, who, id, about, keep === 'proposed' ? 'mine' : 'theirs'),
  );
  act('comments', write, z.strictObject({ text: Said }), (m, who, id, { text }) => comment(m, who, id, text));
  act('withdraw', write, nothing, (m, who, id) => withdraw(m, who, id));
  act('approve', { act: 'proposals.approve' }, Seen, (m, who, id, { digest }) => approve(m, who, id, digest));
  act('take-approval-back', { act: 'proposals.approve' }, nothing, (m, who, id) => takeApprovalBack(m, who, id));

  app.get('/api/approvals', { config: read, schema: { response: { '2xx': answers.WaitingRuns } } }, async () => ({
    runs: await waitingRuns(ctx.db.manager),
  }));
  /** Approves work that somebody else began; then it is carried out. */
  app.post(
    '/api/approvals/:id',
    { config: { act: 'proposals.approve' }, schema: { params: One, response: { '2xx': answers.Nothing } } },
    async (req) => {
      await ctx.db.transaction((m) => approveRun(ctx, m, req.principal, req.params.id));
      return {};
    },
  );

  /** All of it is made as one act, which can be undone; or nothing of it. */
  app.post(
    '/api/proposals/:id/make',
    { config: { act: 'plan.edit' }, schema: { params: One, body: Seen, response: { '2xx': answers.Act } } },
    async (req) => ({ act: await ctx.db.transaction((m) => make(m, req.principal, req.params.id, req.body.digest)) }),
  );

  /** In a transaction, with the changes that a request has. */
  async function doing<T>(
    body: { edits?: z.infer<typeof EditList> | undefined; text?: string | undefined; base?: unknown[] | undefined },
    perform: (m: EntityManager, edits: readonly Edit[], bases: readonly Doc[]) => Promise<T>,
  ): Promise<T> {
    const docs =
      body.text === undefined ? [] : await documentsIn(ctx, { text: body.text, file: 'proposal' }, 'Nothing was proposed');
    const edits = [...(body.edits ? editsIn(body.edits) : []), ...docs.map((doc): Edit => ({ op: 'put', doc }))];
    if (!edits.length) throw new Refusal('invalid', 'There is no document in the text.');
    return ctx.db.transaction(async (m) => perform(m, edits, (body.base ?? []).map(validDoc)));
  }
}

async function whole(m: EntityManager, id: number) {
  const { changes: kept, ...p } = await needProposal(m, id);
  const open = p.state === 'open';
  // What was made stands as it was made, and is shown as it was written.
  const changes: Rebased[] = open ? await inWhatStands(m, kept) : kept.map((c) => ({ ...c, collisions: [] }));
  const digest = digestOf(changes);
  const eyes = await fourEyesIn(m);
  const said = (await m.query('select id, by, at, text from proposal_comment where proposal = $1 order by id', [id])) as {
    id: number;
    by: string;
    at: Date;
    text: string;
  }[];
  return {
    ...p,
    asks: askedBy(p, eyes) ?? null,
    comments: said.length,
    approvals: (await approvalsOf(m, id)).map((a) => ({
      by: a.by,
      at: a.at,
      holds: open ? a.digest === digest && !p.writers.includes(a.by) : true,
    })),
    digest,
    changes: changes.map(({ kind, key, before, after, collisions }) => ({
      kind,
      key,
      what: !before ? ('added' as const) : after ? ('changed' as const) : ('removed' as const),
      fields: before && after ? differences(before, after) : [],
      collisions,
      before,
      after,
    })),
    standing: kept.length - changes.length,
    said,
  };
}
