import type * as answers from '@praesidor/contract';
import { openStates, type Step } from '@praesidor/core/schedule';
import { resolve } from '@praesidor/core/charter';
import { caseTitle, casesOf, roomOf, simulate } from '@praesidor/core/rehearse';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { known } from '../../engine/history.ts';
import { lastRun, shownRun } from '../../engine/last-run.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { standing } from '../builds/proofs.ts';
import { Asked, lossRun } from './run.ts';

const last = (m: EntityManager, charter: string) => lastRun(m, 'loss', charter);

/** How the last trial of a loss went. */
export async function lossesNow(ctx: Context, charter: string): Promise<z.input<typeof answers.Losses>> {
  const m = ctx.db.manager;
  const run = await last(m, charter);
  return run ? { last: { ...(await shownRun(m, run)), case: Asked.parse(run.asked).case } } : {};
}

/** Begins to switch off what a case of the rehearsal loses. @throws Refusal where that is not a loss that can be looked at */
export async function beginLoss(ctx: Context, name: string, lost: string, who: string): Promise<number> {
  return ctx.db.transaction(async (m) => {
    const { estate } = await loadEstate(m);
    const charter = needIn(estate, 'Charter', name);
    const room = roomOf(resolve(charter, estate));
    const of = casesOf(room).find((c) => caseTitle(c) === lost);
    if (!of?.hosts.length)
      throw new Refusal('not-found', `The rehearsal of ${name} has no loss of hosts that is called ${lost}.`);
    const hosts = of.hosts.map((h) => room.hosts[h]?.name ?? '');
    for (const host of hosts) {
      const it = estate.hosts.find((h) => h.name === host);
      if (it?.state !== 'serving' || it.held?.charter !== name)
        throw new Refusal('not-found', `${host} does not serve in ${name}.`);
      if (!it.guest && !it.bmc?.fingerprint)
        throw new Refusal('not-now', `Nobody switches ${host} off and on from here: it has no controller.`, {
          remedy: 'Enter its controller on the page of the host.',
        });
    }
    if (!(await standing(ctx, estate, name)).length)
      throw new Refusal('not-now', `${name} was not built from here, or is being changed.`, {
        remedy: 'Build it, or wait for the end of its change.',
      });
    const open = await last(m, name);
    if (open && (openStates as readonly string[]).includes(open.state))
      throw new Refusal('not-now', `${open.title} is under way: ${open.runBy ?? open.createdBy} began that.`, {
        remedy: 'Wait for its end, or stop it.',
      });
    if (simulate(room, [{ at: 0, hosts: of.hosts }], false).quorum.lost)
      throw new Refusal('not-now', `Without ${lost} the control plane of ${name} has no majority: nothing could be seen.`, {
        remedy: 'Choose another loss.',
      });
    const times = await known(m);
    const step = (kind: Step['kind'], title: string, after: string[]): Step => ({
      id: `${kind}/${lost}`,
      lane: lost,
      ...(hosts.length === 1 ? { host: lost } : {}),
      kind,
      title,
      after,
      ...times(kind),
      model: name,
    });
    const id = await queueRun(
      ctx,
      m,
      {
        kind: 'loss',
        subject: name,
        // Nothing else is changed in the cluster meanwhile.
        exclusive: `Charter ${name}`,
        site: charter.site,
        title: `Loss of ${lost} of ${name}`,
        steps: [
          step('whole', 'see that nothing else is missing', []),
          step('lose', `switch ${hosts.length === 1 ? 'it' : 'them'} off, and look`, [`whole/${lost}`]),
          step('return', `switch ${hosts.length === 1 ? 'it' : 'them'} on again`, [`lose/${lost}`]),
        ],
        asked: { case: lost, hosts } satisfies Asked,
      },
      who,
      { secondPerson: true },
    );
    await record(m, who, 'began to try a loss', name, { lost });
    return id;
  });
}

/** Stops it, or goes on with what failed or was stopped of it. */
export async function actOnLoss(ctx: Context, name: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await last(m, name);
    if (!run) throw new Refusal('not-found', `No loss of ${name} was tried from here.`);
    await actOnRun(ctx, m, lossRun, run, act, who);
  });
}
