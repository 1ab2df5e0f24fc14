import { goOn } from '../areas/builds/by-itself.ts';
import { sweep } from '../areas/hosts/sweep.ts';
import { computeBill } from '../areas/images/registries.ts';
import type { Context } from '../context.ts';
import { driveAlone } from '../engine/drive.ts';
import { takeUp } from '../engine/turns.ts';
import { runKinds } from './run-kinds.ts';
import type { JobHandler, JobKind } from './queue.ts';

/** What carries out each kind of job; a new kind is a line. */
const handlers: Record<JobKind, (ctx: Context) => JobHandler> = {
  run: (ctx) => (id, signal) => driveAlone(ctx, runKinds, Number(id), signal),
  onward: (ctx) => (id) => goOn(ctx, Number(id)),
  sweep: (ctx) => (id, signal) => sweep(ctx, Number(id), signal),
  bills: (ctx) => (id, signal) => computeBill(ctx, id, signal),
};

/** Says to the queue of a process who does what. */
export function takeJobs(ctx: Context): void {
  for (const [kind, handler] of Object.entries(handlers)) ctx.queue.handle(kind as JobKind, handler(ctx));
}

/** Starts to take jobs; runs that no job carries are taken up, now and by the minute. @returns what ends that */
export async function startJobs(ctx: Context): Promise<() => void> {
  await ctx.queue.start();
  const look = () => void takeUp(ctx).catch((e: Error) => ctx.log('runs', { error: e.message }));
  look();
  const minute = setInterval(look, 60_000);
  return () => clearInterval(minute);
}
