import { failedSteps, openStates, type RunState, type RunStatus, skippable, stateText } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { permit, principalOf } from '../access/permit.ts';
import { whereOfRun } from '../access/where.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import type { RunRow } from '../db/tables.ts';
import { Refusal } from '../refusal.ts';
import { actOf, type RunKind } from './kind.ts';
import { append, statusOf } from './state.ts';
import { admit } from './turns.ts';

const acts = {
  pause: { from: ['running'], event: 'paused', said: 'paused' },
  continue: { from: ['paused'], event: 'continued', said: 'continued' },
  stop: { from: openStates, event: 'stopped', said: 'stopped' },
  resume: { from: ['failed', 'stopped'], event: 'resumed', said: 'resumed' },
  retry: { from: ['running', 'paused'], event: 'retried', said: 'retried the failed steps of' },
  repeat: { from: ['running', 'paused', 'failed', 'stopped'], event: 'repeated', said: 'repeated a step of' },
  skip: { from: ['running', 'paused', 'failed', 'stopped'], event: 'skipped', said: 'skipped a step of' },
} as const satisfies Record<string, { from: readonly RunState[]; event: string; said: string }>;
export type RunAct = keyof typeof acts;
export const runActs = Object.keys(acts) as [RunAct, ...RunAct[]];
/** Acts on one step. */
export const stepActs = ['repeat', 'skip'] as const satisfies readonly RunAct[];

export interface Asked {
  step?: string | undefined;
  /** Why a step is skipped. */
  reason?: string | undefined;
  /** What else is put down of it, after what was done. */
  also?: string[];
  /** In the same transaction, before it happens. */
  first?: (m: EntityManager) => Promise<void>;
}

/** Does something to a run as a whole, or to one of its steps. To be called in a transaction. @throws Refusal where its state does not let it */
export async function actOnRun(
  ctx: Context,
  m: EntityManager,
  kind: RunKind,
  run: RunRow,
  name: RunAct,
  who: string,
  asked: Asked = {},
): Promise<void> {
  await m.query('select 1 from run where id = $1 for update', [run.id]);
  const status = await statusOf(m, run);
  const { from, event, said } = acts[name];
  if (!(from as readonly string[]).includes(status.state))
    throw new Refusal(
      'not-now',
      `${capital(kind.called(run))} is ${stateText[status.state]}; to ${name} it, it must be ${from.map((s) => stateText[s]).join(' or ')}.`,
    );
  if (name === 'resume') {
    if (run.approval === 'asked')
      throw new Refusal('four-eyes', `${capital(kind.called(run))} was stopped before a second person approved it.`, {
        remedy: 'Begin it anew.',
      });
    // It goes on in the name of whoever resumes it.
    permit(await principalOf(m, who), actOf(kind, run), undefined, await whereOfRun(m, run));
    await kind.resumed?.(ctx, m, run, status);
    await m.query("update run set state = 'running', run_by = $2, ended_at = null where id = $1", [run.id, who]);
    await ctx.queue.send(m, 'run', String(run.id));
  }
  if (name === 'stop' || name === 'resume') await kind.closed?.(m, run);
  await asked.first?.(m);
  if (event === 'retried') await retry(m, kind, run, status);
  else if (event === 'repeated') await append(m, run, { kind: event, step: stepFor(kind, run, status, asked.step, 'repeat') });
  else if (event === 'skipped') {
    const step = stepFor(kind, run, status, asked.step, 'skip');
    await append(m, run, { kind: event, step, reason: reasonOf(asked.reason), by: who });
  } else await append(m, run, { kind: event });
  if (name === 'stop' || name === 'pause') await admit(ctx, m, run.site);
  const { subject, facts } = kind.recorded(run);
  const more = { ...(asked.step ? { step: asked.step } : {}), ...(asked.reason ? { reason: asked.reason } : {}) };
  await record(m, who, [`${said} ${kind.noun}`, ...(asked.also ?? [])].join(' and '), subject, { ...facts, ...more });
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function reasonOf(reason: string | undefined): string {
  const text = reason?.trim();
  if (!text) throw new Refusal('invalid', 'A step is skipped for a reason: it is put down with your name.');
  return text;
}

/** @throws Refusal where nothing can be done about that step in that way */
function stepFor(kind: RunKind, run: RunRow, status: RunStatus, id: string | undefined, act: 'repeat' | 'skip'): string {
  const step = run.steps.find((s) => s.id === id);
  const now = step && status.steps[step.id];
  if (!step || !now) throw new Refusal('not-found', `${capital(kind.called(run))} has no step ${id ?? ''}.`);
  if (now.state === 'running')
    throw new Refusal('not-now', `${step.lane} ${step.title} runs at the moment.`, { remedy: 'Wait for its end.' });
  if (act === 'repeat' && now.attempt === 0)
    throw new Refusal('not-now', `${step.lane} ${step.title} has not been begun: there is nothing to repeat.`);
  if (act === 'repeat') return step.id;
  if (now.state === 'done' || now.state === 'skipped')
    throw new Refusal('not-now', `${step.lane} ${step.title} is ${now.state === 'done' ? 'done' : 'skipped already'}.`);
  if (!skippable.has(step.kind))
    throw new Refusal('not-now', `${step.lane} ${step.title} cannot be skipped: what comes after it stands on it.`, {
      remedy: 'Mend what it says and retry it.',
    });
  return step.id;
}

/** Has every failed step of a run that is under way tried again, while the rest goes on. */
async function retry(m: EntityManager, kind: RunKind, run: RunRow, status: RunStatus): Promise<void> {
  const failed = failedSteps(run.steps, status);
  if (!failed.length)
    throw new Refusal('not-now', `No step of ${kind.called(run)} has failed.`, {
      remedy: 'Look at it: somebody may have tried them again already.',
    });
  for (const step of failed) await append(m, run, { kind: 'retried', step: step.id });
}
