import { ProtocolError, transient } from '@praesidor/protocols/dial';
import { type Bmc, taskState } from '@praesidor/protocols/redfish';
import { WorkFailure, type WorkOn } from './kind.ts';

const pause = (ms: number) => new Promise((go) => setTimeout(go, ms));

/** Controllers are forgetful: what may be gone at the next try is tried again, three times. */
export async function patiently<T>(act: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await act();
    } catch (e) {
      if (!(e instanceof ProtocolError) || !transient(e) || tries >= 3) throw e;
      await pause(500 * tries);
    }
  }
}

/**
 * Follows a task of a controller to its end. One that does not move for as long as several tasks usually take is given
 * up, and said to be stuck; nothing is done to the machine then.
 */
export async function untilTask(
  on: WorkOn,
  bmc: Bmc,
  task: string,
  tell: (percent: number) => Promise<void>,
  what: string,
): Promise<void> {
  let last = -1;
  let moved = Date.now();
  for (;;) {
    const t = await patiently(() => taskState(bmc, task));
    if (t.state === 'done') return;
    if (t.state === 'failed') throw new WorkFailure(`${what}: ${t.text}`, 'Look at its event log, then begin again.');
    if (t.percent !== last) moved = Date.now();
    last = t.percent;
    if (Date.now() - moved > on.ctx.config.timeoutSeconds * 1000)
      throw new WorkFailure(
        `${what} is stuck at ${t.percent} %: nothing moved for ${on.ctx.config.timeoutSeconds} s`,
        'Its controller still holds the task. Restart the controller, look at the event log, then begin again.',
      );
    await tell(t.percent);
    await pause(Math.min(1000, on.ctx.config.timeoutSeconds * 20));
  }
}
