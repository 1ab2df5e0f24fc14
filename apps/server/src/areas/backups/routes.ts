import { once } from 'node:events';
import { PassThrough } from 'node:stream';
import { giveBack, readIndex } from '@praesidor/backups';
import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { backupsOf } from './rows.ts';
import { actOnBackup, backupsNow, beginBackup, beginRestore } from './service.ts';
import { beginTurn } from './standby.ts';
import { volumesSeen } from './seen.ts';
import { openStore } from './store.ts';

const Named = z.strictObject({ name: words.Name });
const One = Named.extend({ id: z.coerce.number().int().min(1) });
/** What the API names objects by (RFC 1123 §2.1). */
const DnsLabel = z
  .string()
  .regex(/^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/, 'lower-case letters, digits and inner hyphens, at most 63');
const Volumes = z.array(z.string().max(200)).min(1).max(2000).optional();

/** Backups of volumes: made, tested, and taken out. */
export async function backups(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/charters/:name/backups',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.Backups } } },
    async (req) => backupsNow(ctx, req.params.name),
  );
  app.get(
    '/api/charters/:name/volumes',
    { config: { act: 'plan.read' }, schema: { params: Named, response: { '2xx': answers.SeenVolumes } } },
    async (req) => volumesSeen(ctx, req.params.name),
  );
  app.post(
    '/api/charters/:name/backups',
    {
      config: { act: 'backups.run' },
      schema: {
        params: Named,
        body: z.strictObject({ volumes: Volumes, labels: z.array(words.Line(60, 1)).max(20).optional() }),
        response: { '2xx': answers.BackupBegun },
      },
    },
    async (req, reply) => {
      const id = await ctx.db.transaction((m) =>
        beginBackup(ctx, m, req.params.name, { what: 'copy', ...req.body }, req.who.login),
      );
      return reply.status(201).send({ id });
    },
  );
  app.post(
    '/api/charters/:name/backups/test',
    {
      config: { act: 'backups.run' },
      schema: { params: Named, body: z.strictObject({ volumes: Volumes }), response: { '2xx': answers.BackupBegun } },
    },
    async (req, reply) => {
      const id = await ctx.db.transaction((m) =>
        beginBackup(ctx, m, req.params.name, { what: 'trial', ...req.body }, req.who.login),
      );
      return reply.status(201).send({ id });
    },
  );
  app.post(
    '/api/charters/:name/backups/:id/restore',
    {
      config: { act: 'backups.restore' },
      schema: {
        params: One,
        body: z.union([
          z.strictObject({ cluster: words.Name.optional(), volume: words.Line(200, 1), replace: words.Line(200) }),
          z.strictObject({
            cluster: words.Name.optional(),
            claim: z.strictObject({ namespace: DnsLabel, name: DnsLabel }),
          }),
        ]),
        response: { '2xx': answers.RestoreBegun },
      },
    },
    async (req, reply) => {
      const { name, id } = req.params;
      const { body } = req;
      // What it has is gone afterwards: whoever asks says of which.
      if ('replace' in body && body.replace !== body.volume)
        throw new Refusal('not-now', `What ${body.volume} has would be lost.`, {
          remedy: `Give its name as "replace": ${body.volume}.`,
        });
      const begun = await ctx.db.transaction((m) => beginRestore(ctx, m, name, id, body, req.who.login));
      return reply.status(201).send(begun);
    },
  );
  app.post(
    '/api/charters/:name/standbys/:workload/:turn',
    {
      config: { act: 'backups.restore' },
      schema: {
        params: Named.extend({ workload: DnsLabel, turn: z.enum(['activate', 'give-back']) }),
        body: z.strictObject({
          /** The name of the workload once more: where it runs is another afterwards. */
          turn: words.Line(200),
          silent: z.boolean().optional(),
        }),
        response: { '2xx': answers.BackupBegun },
      },
    },
    async (req, reply) => {
      const { name, workload, turn: what } = req.params;
      if (req.body.turn !== workload)
        throw new Refusal('not-now', `${workload} runs elsewhere afterwards.`, {
          remedy: `Give its name as "turn": ${workload}.`,
        });
      if (what === 'give-back' && req.body.silent)
        throw new Refusal('not-now', 'What is given back goes to a cluster that answers.');
      const id = await ctx.db.transaction((m) =>
        beginTurn(ctx, m, name, { what, workload, silent: req.body.silent }, req.who.login),
      );
      return reply.status(201).send({ id });
    },
  );
  app.post(
    '/api/charters/:name/backups/:act',
    {
      config: { act: 'backups.run' },
      schema: { params: Named.extend({ act: z.enum(['stop', 'resume']) }), response: { '2xx': answers.Nothing } },
    },
    async (req) => {
      await actOnBackup(ctx, req.params.name, req.params.act, req.who.login);
      return {};
    },
  );

  /** What a backup holds, as an archive that tar unpacks wherever the volume is wanted. Each block is held against its name before any of it is sent. */
  app.get(
    '/api/charters/:name/backups/:id/volume.tar',
    { config: { act: 'backups.take' }, schema: { params: One } },
    async (req, reply) => {
      const { name, id } = req.params;
      const row = (await backupsOf(ctx.db.manager, name)).find((b) => b.id === id);
      if (!row) throw new Refusal('not-found', `There is no backup ${id} of ${name}.`);
      const declared = needIn(await estateNow(ctx.db), 'BackupStore', row.store);
      const { store, keys, close } = await openStore(ctx, declared);
      const index = await readIndex(store, keys, row.name).catch((e: unknown) => {
        close();
        throw e;
      });
      await record(ctx.db.manager, req.who.login, 'took a backup of a volume', name, { volume: row.volume, backup: id });
      const out = new PassThrough();
      const gone = new AbortController();
      // Whoever takes it may go in the middle: nothing more is read then.
      out.once('close', () => gone.abort());
      const sink = async ({ bytes }: { bytes: Buffer }) => {
        if (!out.write(bytes)) await once(out, 'drain', { signal: gone.signal });
      };
      void giveBack(store, keys, index, sink, { signal: gone.signal })
        .then(
          () => out.end(),
          (e: Error) => out.destroy(e),
        )
        .finally(close);
      return reply
        .type('application/x-tar')
        .header('content-length', index.bytes)
        .header(
          'content-disposition',
          `attachment; filename="${name}-${row.volume.replace('/', '-')}-${index.at.slice(0, 10)}.tar"`,
        )
        .send(out);
    },
  );
}
