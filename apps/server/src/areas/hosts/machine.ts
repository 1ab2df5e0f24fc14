import { setTimeout } from 'node:timers/promises';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Host } from '@praesidor/core/model';
import { guestState, start, stop } from '@praesidor/protocols/hypervisor';
import { powerState, reset } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { bmcOf } from './bmc.ts';
import { guestOf } from './hypervisors.ts';

/** Power of a machine, whoever speaks for it: its controller, or its hypervisor. */
export interface Powered {
  on: () => Promise<boolean>;
  restart: () => Promise<void>;
  /** Cuts the power. */
  off: () => Promise<void>;
  /** Asks what runs on it to shut down; it does so in its own time, or never. */
  shutDown: () => Promise<void>;
}

/** Undefined for a machine that nobody speaks for. */
export async function powered(ctx: Context, host: Host, signal: AbortSignal): Promise<Powered | undefined> {
  if (host.guest) {
    const g = await guestOf(ctx, host.name, signal);
    return {
      on: async () => (await guestState(g.driver, host.name))?.state === 'running',
      restart: async () => {
        await stop(g.driver, host.name, true);
        await start(g.driver, host.name);
      },
      off: async () => {
        await stop(g.driver, host.name, true);
      },
      shutDown: async () => {
        await stop(g.driver, host.name, false);
      },
    };
  }
  if (!host.bmc) return undefined;
  const bmc = await bmcOf(ctx, host, signal);
  return {
    on: async () => (await powerState(bmc)) === 'On',
    restart: () => reset(bmc, 'ForceRestart').catch(() => reset(bmc, 'On')),
    off: () => reset(bmc, 'ForceOff'),
    shutDown: () => reset(bmc, 'GracefulShutdown'),
  };
}

/**
 * Switches a machine off: it is asked to shut down, and its power is cut where it has not within `limit` seconds. @returns what came of it, for a log; what is off already
 * is left
 */
export async function switchedOff(machine: Powered, limit: number, signal: AbortSignal): Promise<string> {
  if (!(await machine.on())) return 'is off';
  // A controller may have no way to ask: then its power is cut.
  const asked = await machine.shutDown().then(
    () => true,
    (e: unknown) => {
      if (e instanceof ProtocolError && (e.status ?? 0) >= 400 && e.status !== 401 && (e.status ?? 0) < 500) return false;
      throw e;
    },
  );
  const end = Date.now() + (asked ? limit * 1000 : 0);
  while (Date.now() < end && !signal.aborted) {
    if (!(await machine.on())) return 'shut down';
    await setTimeout(500, undefined, { signal }).catch(() => undefined);
  }
  if (signal.aborted) throw new Error('stopped');
  if (!(await machine.on())) return 'shut down';
  await machine.off();
  return asked
    ? `did not shut down within ${limit} s: its power was cut`
    : 'its power was cut: its controller cannot ask it to shut down';
}
