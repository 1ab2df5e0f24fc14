import type { SeenController } from '@praesidor/core/model';
import type { ProtocolError } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';

/** Milliseconds that are waited for further answers: of one that gives half its facts the last answer counts. */
const settles = 300;
interface Heard {
  fault: ProtocolError | undefined;
  /** The fault that is kept; undefined where it is not known yet. */
  kept: string | undefined;
  timer?: NodeJS.Timeout;
}
const memory = new WeakMap<Context, Map<string, Heard>>();

/** Faults that say something of the controller, and not of who asks or of what was asked for. */
const ofController = (e: ProtocolError | undefined) =>
  e && (e.fault === 'cancelled' || e.fault === 'busy' || e.fault === 'missing') ? undefined : e;

/**
 * Keeps that the controller of a listed host failed when it was asked last, and forgets it as soon as it answers.
 * @returns what is told after each of its answers
 */
export function controllerHeard(ctx: Context, host: string): (fault?: ProtocolError) => void {
  const all = memory.get(ctx) ?? new Map<string, Heard>();
  memory.set(ctx, all);
  return (fault) => {
    if (fault?.fault === 'cancelled') return;
    const h = all.get(host) ?? { fault: undefined, kept: undefined };
    all.set(host, h);
    h.fault = ofController(fault);
    const now = h.fault?.fault ?? '';
    if (now === h.kept && !h.timer) return;
    clearTimeout(h.timer);
    h.timer = setTimeout(() => {
      delete h.timer;
      void keep(ctx, host, h).catch((e: Error) => ctx.log('controller', { host, error: e.message }));
    }, settles);
    h.timer.unref();
  };
}

async function keep(ctx: Context, host: string, h: Heard): Promise<void> {
  const now = h.fault?.fault ?? '';
  if (now === h.kept) return;
  await ctx.db.transaction(async (m) => {
    if (h.fault) {
      const seen: SeenController = { at: new Date().toISOString(), error: h.fault.message, fault: h.fault.fault };
      await observe(m, 'controller', host, seen);
    } else {
      const [, gone] = (await m.query("delete from observation where kind = 'controller' and subject = $1", [host])) as [
        unknown,
        number,
      ];
      if (!gone) return;
    }
    await tell(m, 'SeenController', host);
  });
  h.kept = now;
}
