import { firmwarePlan } from '@praesidor/core/hosts';
import type { Baseline, Host } from '@praesidor/core/model';
import { type Bmc, beginUpdate, powerState, reset, taskState } from '@praesidor/protocols/redfish';
import type { Context } from '../../../context.ts';
import { docTables } from '../../../db/tables.ts';
import { needDoc } from '../../../estate/documents.ts';
import { bmcOf } from '../bmc.ts';
import { refresh } from '../facts.ts';
import { WorkFailure, type WorkKind, type WorkOn } from './kind.ts';
import { patiently, untilTask } from './tasks.ts';

const planOf = async (ctx: Context, host: Host) =>
  firmwarePlan(
    host,
    (await ctx.db.manager.find(docTables.Baseline)).map((r) => r.doc as Baseline),
  );

/** Brings hosts to the baseline of their model, part by part, in the baseline's order. */
export const firmware: WorkKind = {
  kind: 'firmware',
  title: 'Firmware of',
  limit: 'firmware',
  refuse: async (ctx, name) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    const plan = await planOf(ctx, doc);
    return plan.refused ?? (plan.steps.length ? undefined : 'it is at the baseline already');
  },
  run: async (on) => {
    const { ctx, host, who, progress } = on;
    const done: string[] = [];
    for (;;) {
      // The plan is made anew after each part: what was written before a kill is not written again.
      const { doc } = await needDoc(ctx.db.manager, 'Host', host);
      const plan = await planOf(ctx, doc);
      const [step] = plan.steps;
      if (plan.refused) throw new WorkFailure(`${host}: ${plan.refused}`);
      if (!step) return done.length ? done.join(', ') : 'at the baseline';
      if (done.includes(`${step.part} ${step.to}`))
        throw new WorkFailure(
          `${host}: ${step.part} was written and restarted, and still says ${step.from}`,
          'Look at its event log; the image may be for another model.',
        );
      const bmc = await bmcOf(ctx, doc, on.signal);
      const of = plan.steps.length + done.length;
      await update(on, bmc, step.part, step.image ?? '', (p) =>
        progress(Math.round(((done.length + p / 100) / of) * 100), `${step.part} ${step.from} → ${step.to}, ${p} %`),
      );
      if (step.part !== 'bmc') {
        await progress(Math.round(((done.length + 0.95) / of) * 100), `${step.part} ${step.to} written; restarting`);
        await restart(bmc);
      }
      done.push(`${step.part} ${step.to}`);
      await on.remember('task', undefined);
      await refresh(ctx, host, who);
    }
  },
};

async function update(
  on: WorkOn,
  bmc: Bmc,
  part: string,
  image: string,
  tell: (percent: number) => Promise<void>,
): Promise<void> {
  let task = on.knows.task;
  const known = task && (await taskState(bmc, task).catch(() => undefined));
  if (!task || !known || !on.knows.task?.length || on.knows.part !== part) {
    task = await beginUpdate(bmc, image, part).catch((e: unknown) => {
      throw new WorkFailure(
        `${on.host}: ${part} was not taken: ${(e as Error).message}`,
        'Look whether its controller reaches the image, then begin again.',
      );
    });
    await on.remember('part', part);
    await on.remember('task', task);
  }
  await untilTask(on, bmc, task, tell, `${part} of ${on.host}`);
}

/** Off and on again, so that what was written comes up; a machine that was off is off afterwards. */
async function restart(bmc: Bmc): Promise<void> {
  const was = await patiently(() => powerState(bmc));
  if (was === 'On') await patiently(() => reset(bmc, 'ForceRestart'));
  else {
    await patiently(() => reset(bmc, 'On'));
    await patiently(() => reset(bmc, 'ForceOff'));
  }
}
