import { ProtocolError } from '@praesidor/protocols/dial';
import { start, stop } from '@praesidor/protocols/hypervisor';
import { reset, type ResetType } from '@praesidor/protocols/redfish';
import { needDoc } from '../../../estate/documents.ts';
import { bmcOf } from '../bmc.ts';
import { guestOf, lookAtHypervisor } from '../hypervisors.ts';
import type { WorkKind } from './kind.ts';
import { castFailure } from './cast.ts';
import { patiently } from './tasks.ts';

const resets: Record<string, ResetType> = { on: 'On', off: 'GracefulShutdown', cut: 'ForceOff', restart: 'ForceRestart' };

/** Power of hosts and guests: on, off, cut, restart. */
export const power: WorkKind = {
  kind: 'power',
  title: 'Power of',
  limit: 'controllers',
  refuse: async (ctx, name, asked) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    if (!Object.hasOwn(resets, String(asked.to)))
      return `power goes ${Object.keys(resets).join(', ')}, and not ${String(asked.to)}`;
    if (asked.to !== 'on' && doc.state === 'serving' && !doc.drained) return 'it serves; drain it first';
    return doc.guest || doc.bmc?.fingerprint ? undefined : 'its controller has no accepted certificate';
  },
  run: async ({ ctx, host, asked, signal, progress }) => {
    const to = String(asked.to);
    const { doc } = await needDoc(ctx.db.manager, 'Host', host);
    await progress(20, `power ${to}`);
    if (!doc.guest) {
      const bmc = await bmcOf(ctx, doc, signal);
      await patiently(() => reset(bmc, resets[to] as ResetType));
      return `power ${to}`;
    }
    const g = await guestOf(ctx, host, signal);
    try {
      if (to !== 'on') await stop(g.driver, host, to === 'cut');
      if (to === 'on' || to === 'restart') await start(g.driver, host);
    } catch (e) {
      throw e instanceof ProtocolError ? castFailure(host, g.on.name, e) : e;
    }
    await lookAtHypervisor(ctx, g.on.name);
    return `power ${to} on ${g.on.name}`;
  },
};
