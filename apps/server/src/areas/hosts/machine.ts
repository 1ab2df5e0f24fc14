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
  off: () => Promise<void>;
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
    };
  }
  if (!host.bmc) return undefined;
  const bmc = await bmcOf(ctx, host, signal);
  return {
    on: async () => (await powerState(bmc)) === 'On',
    restart: () => reset(bmc, 'ForceRestart').catch(() => reset(bmc, 'On')),
    off: () => reset(bmc, 'ForceOff'),
  };
}
