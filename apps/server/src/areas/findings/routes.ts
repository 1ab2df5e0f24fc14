import * as answers from '@praesidor/contract';
import type { Where } from '@praesidor/core/access';
import type { Finding } from '@praesidor/core/checks';
import type { EntityManager } from 'typeorm';
import { z } from 'zod';
import { words } from '@praesidor/core/model';
import { permit } from '../../access/permit.ts';
import { whereIs } from '../../access/where.ts';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

const day = 86_400_000;
/** As long as anybody should live with something without looking again. */
const longest = 400 * day;
const Id = z
  .string()
  .min(1)
  .max(2000)
  .refine((t) => !words.unprintable(t), 'the identifier of a finding is printable text');
const Accept = z.strictObject({
  finding: Id,
  reason: words.Line(400, 3),
  /** When it is to be looked at again. */
  until: words.Instant,
});

/** Where a finding is: at its site, and of whose clusters. */
async function whereOfFinding(m: EntityManager, f: Pick<Finding, 'site' | 'charters' | 'code'>): Promise<Where> {
  const { teams } = await whereIs(m, [{ kind: 'Charter', keys: f.charters }]);
  return { sites: f.site ? [f.site] : [], teams, what: `what ${f.code} found` };
}

/** Findings that people live with: a mind or a note, for a reason, until a day. */
export async function findings(app: App, { ctx }: { ctx: Context }) {
  app.post(
    '/api/findings/accept',
    { config: { act: 'findings.tolerate' }, schema: { response: { '2xx': answers.Nothing }, body: Accept } },
    async (req) => {
      const { finding, reason, until } = req.body;
      const ends = Date.parse(until) - Date.now();
      if (ends <= 0 || ends > longest)
        throw new Refusal(
          'invalid',
          `${until} is ${ends <= 0 ? 'past' : 'more than 400 days away'}; it is to be looked at again before.`,
          {
            places: [{ path: 'until', message: 'a day within the next 400' }],
          },
        );
      const { estate } = await loadEstate(ctx.db);
      const f = await ctx.compute.findingOf(estate, finding);
      if (!f) throw new Refusal('not-found', 'That is not found any more.', { remedy: 'Look at the margin again.' });
      if (f.severity === 'stop')
        throw new Refusal('not-now', `${f.code} stops what it names, and cannot be accepted.`, {
          remedy: 'Settle it: its remedy stands in the margin.',
        });
      await ctx.db.transaction(async (m) => {
        permit(req.principal, 'findings.tolerate', undefined, await whereOfFinding(m, f));
        await m.query(
          `insert into acceptance (finding, text, reason, by, until) values ($1, $2, $3, $4, $5)
           on conflict (finding) do update set text = excluded.text, reason = excluded.reason, by = excluded.by, at = now(), until = excluded.until`,
          [finding, f.text, reason, req.who.login, until],
        );
        await tell(m, 'Acceptance', finding.slice(0, 200), req.who.login);
        await record(m, req.who.login, 'accepted a finding', finding, { reason, until, text: f.text });
      });
      return {};
    },
  );
  app.delete(
    '/api/findings/accept',
    {
      config: { act: 'findings.tolerate' },
      schema: { response: { '2xx': answers.Nothing }, querystring: z.strictObject({ finding: Id }) },
    },
    async (req) => {
      const { finding } = req.query;
      const { estate } = await loadEstate(ctx.db);
      const f = await ctx.compute.findingOf(estate, finding);
      await ctx.db.transaction(async (m) => {
        // One that is not found any more is of no site.
        permit(req.principal, 'findings.tolerate', undefined, f && (await whereOfFinding(m, f)));
        const gone = (await m.query('delete from acceptance where finding = $1 returning reason', [finding])) as [
          { reason: string }[],
          number,
        ];
        if (!gone[1]) throw new Refusal('not-found', 'Nobody accepts that.');
        await tell(m, 'Acceptance', finding.slice(0, 200), req.who.login);
        await record(m, req.who.login, 'accepts a finding no longer', finding, { reason: gone[0][0]?.reason });
      });
      return {};
    },
  );
}
