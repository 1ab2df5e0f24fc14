import * as answers from '@praesidor/contract';
import { type Act, Notice } from '@praesidor/core/notices';
import { words } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { send } from './ways.ts';

const Named = z.strictObject({ name: words.Name });

export async function notices(app: App, { ctx }: { ctx: Context }) {
  const config = { act: 'notices.manage' } as const;
  app.get('/api/notices', { config, schema: { response: { '2xx': answers.Notices } } }, async () => ({
    notices: (await ctx.db.manager.query(
      `select doc, told_at as "toldAt", failing, since, skipped,
         (select count(*)::int from audit a where a.id > notice.position and (doc->'about' ? 'record' or a.about = any(array(select jsonb_array_elements_text(doc->'about'))))
            and (doc->'sites' is null or a.site = any(array(select jsonb_array_elements_text(doc->'sites'))))) as waiting
       from notice order by name`,
    )) as z.input<typeof answers.Notices>['notices'],
  }));
  /** What is on record by now is not told: only what comes. */
  app.put(
    '/api/notices/:name',
    { config, schema: { response: { '2xx': answers.Nothing }, params: Named, body: Notice } },
    async (req) => {
      if (req.body.name !== req.params.name)
        throw new Refusal('invalid', 'The name in the path is another than that of the notice.');
      await ctx.db.transaction(async (m) => {
        await m.query(
          `insert into notice (name, doc, position) values ($1, $2, (select coalesce(max(id), 0) from audit))
           on conflict (name) do update set doc = excluded.doc, tries = 0, failing = null, since = null, next_at = null`,
          [req.body.name, JSON.stringify(req.body)],
        );
        await record(m, req.who.login, 'said who is told', req.body.name, { about: req.body.about });
        await publishTransient(m, 'Notice', req.body.name);
      });
      return {};
    },
  );
  app.delete('/api/notices/:name', { config, schema: { response: { '2xx': answers.Nothing }, params: Named } }, async (req) => {
    await ctx.db.transaction(async (m) => {
      const [rows] = (await m.query('delete from notice where name = $1 returning name', [req.params.name])) as [
        unknown[],
        number,
      ];
      if (!rows.length) throw new Refusal('not-found', `There is no notice ${req.params.name}.`);
      await record(m, req.who.login, 'told no longer', req.params.name);
    });
    return {};
  });
  /** Tells of a test, now: what comes of it is answered. */
  app.post(
    '/api/notices/:name/test',
    { config, schema: { response: { '2xx': answers.Nothing }, params: Named } },
    async (req) => {
      const [row] = (await ctx.db.manager.query('select doc from notice where name = $1', [req.params.name])) as {
        doc: Notice;
      }[];
      if (!row) throw new Refusal('not-found', `There is no notice ${req.params.name}.`);
      const { login } = req.who;
      const test: Act = {
        id: 0,
        at: new Date().toISOString(),
        who: login,
        act: 'this is a test',
        subject: 'Praesidor',
        detail: { notice: row.doc.name },
      };
      try {
        await send(ctx, row.doc, [test]);
      } catch (e) {
        if (!(e instanceof ProtocolError)) throw e;
        throw new Refusal('unreachable', `It could not be told: ${e.message}.`, {
          remedy: 'Correct where it goes, or look at the other side.',
        });
      }
      return {};
    },
  );
}
