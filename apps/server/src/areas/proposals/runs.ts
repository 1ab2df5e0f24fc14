import type * as answers from '@praesidor/contract';
import type { Principal } from '@praesidor/core/access';
import { stateText } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { permit } from '../../access/permit.ts';
import { whereOfRun } from '../../access/where.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Runs } from '../../db/tables.ts';
import { actOf } from '../../engine/kind.ts';
import { topicOf } from '../../engine/state.ts';
import { admit } from '../../engine/turns.ts';
import { tell } from '../../events/bus.ts';
import { runKinds } from '../../jobs/run-kinds.ts';
import { Refusal } from '../../refusal.ts';

/** Runs that wait until a second person has approved them, the oldest first. */
export const waitingRuns = async (m: EntityManager): Promise<answers.WaitingRun[]> =>
  (await m.query(
    `select r.id, r.kind, r.title, r.subject, r.site, jsonb_array_length(r.steps) as steps, r.created_by as by, r.created_at as at, b.charter, b.number
     from run r left join build b on b.id = r.id where r.approval = 'asked' and r.state = 'queued' order by r.id limit 200`,
  )) as answers.WaitingRun[];

/**
 * Approves a run as it was put down: from then on it is carried out. Whoever began it does not, and whoever could not begin it
 * does not either.
 */
export async function approveRun(ctx: Context, m: EntityManager, who: Principal, id: number): Promise<void> {
  await m.query('select 1 from run where id = $1 for update', [id]);
  const run = await m.findOneBy(Runs, { id });
  const kind = run && runKinds.get(run.kind);
  if (!run || !kind) throw new Refusal('not-found', `There is no run ${id}.`);
  const name = kind.called(run);
  if (run.approval !== 'asked' || run.state !== 'queued')
    throw new Refusal(
      'not-now',
      run.approval === 'given'
        ? `${run.approvedBy} has approved ${name} already.`
        : `There is nothing to approve in ${name}: it is ${stateText[run.state]}.`,
    );
  if (run.createdBy === who.login)
    throw new Refusal('not-allowed', `${who.login} began ${name}.`, { remedy: 'Somebody else approves it.' });
  permit(who, actOf(kind, run), undefined, await whereOfRun(m, run));
  // A change of a cluster waits for its turn at its site; everything else begins at once.
  const turn = run.kind === 'change';
  await m.query("update run set approval = 'given', approved_by = $2, approved_at = now(), admitted = $3 where id = $1", [
    id,
    who.login,
    !turn,
  ]);
  if (turn) await admit(ctx, m, run.site);
  else await ctx.queue.send(m, 'run', String(id));
  const { subject, facts } = kind.recorded(run);
  await record(m, who.login, `approved ${kind.noun}`, subject, {
    ...facts,
    what: run.title,
    begunBy: run.createdBy,
    approvedBy: who.login,
  });
  await tell(m, topicOf(run), run.subject);
}
