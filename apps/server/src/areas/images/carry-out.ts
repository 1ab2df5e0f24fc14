import { ProtocolError } from '@praesidor/protocols/dial';
import { bytesText } from '@praesidor/core/words';
import { Closed, NotACase } from '@praesidor/shipping';
import type { Context } from '../../context.ts';
import { isAway } from '../../db/errors.ts';
import { Shipments } from '../../db/tables.ts';
import { NotBefore, StepFailure } from '../../engine/failure.ts';
import { memoryOf, type StepTools } from '../../engine/kind.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { Meter } from './meter.ts';
import { isPhase, phases } from './phases/index.ts';
import { lookAt } from './registries.ts';

/** What a phase puts down for its end: the state that the shipment is in then; of a failure, which fault, and at which registry. */
export const noted = { state: 'state', fault: 'fault', at: 'fault at' } as const;

/** Milliseconds after which one that waits for its hours looks whether they are others by now. */
const looksAtHours = 10 * 60_000;

/** Carries out the phase that a step stands for; called again after a kill, it goes on with what is still to do. @returns what came of it */
export async function carryOut(ctx: Context, label: string, tools: StepTools): Promise<string> {
  const { step, signal, log, healed } = tools;
  if (!isPhase(step.kind)) throw new Error(`a shipment has no phase ${step.kind}`);
  const { knows, remember } = memoryOf(tools);
  for (const key of Object.values(noted)) if (knows[key] !== undefined) await remember(key, undefined);
  const m = ctx.db.manager;
  // It has a place at its registry from now on.
  await m.query('update shipment set started_at = now() where label = $1 and started_at is null', [label]);
  await tell(m, 'Shipment', label);
  const s = await m.findOneByOrFail(Shipments, { label });
  const { estate } = await loadEstate(ctx.db);
  const target = needIn(estate, 'Registry', s.target);
  const meter = new Meter(ctx, s);
  try {
    const end = await phases[step.kind]({ ctx, estate, s, target, meter, signal, log });
    await meter.write();
    // Seen first, then said: who reads that it landed finds the findings settled.
    if (step.kind !== 'pack') await lookAt(ctx, s.target);
    if (meter.cuts) await healed(`cut off ${meter.cuts === 1 ? 'once' : `${meter.cuts} times`}, and went on where it stood`);
    await remember(noted.state, end.state);
    return end.error ?? `${bytesText(s.bytes)} ${end.state}`;
  } catch (e) {
    if (signal.aborted || isAway(e)) throw e;
    await meter.write().catch(() => undefined);
    if (e instanceof Closed) {
      await m.query("update shipment set state = 'waiting', resume_at = $2 where label = $1 and state in ('moving', 'waiting')", [
        label,
        e.until,
      ]);
      await tell(m, 'Shipment', label);
      // Hours can be changed meanwhile.
      const look = new Date(Date.now() + looksAtHours).toISOString();
      throw new NotBefore(e.message, look < e.until ? look : e.until);
    }
    if (e instanceof NotACase || e instanceof RangeError || e instanceof Refusal)
      throw new StepFailure(e.message, e instanceof Refusal ? e.more.remedy : undefined);
    const told = ProtocolError.from(e, target.endpoint);
    await remember(noted.fault, told.fault);
    const at = estate.registries.find((r) => [s.source, s.target].includes(r.name) && r.endpoint === told.where);
    await remember(noted.at, at?.name);
    throw new StepFailure(told.message);
  }
}
