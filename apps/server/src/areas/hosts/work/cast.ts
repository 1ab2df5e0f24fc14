import { ProtocolError } from '@praesidor/protocols/dial';
import { guestState, start } from '@praesidor/protocols/hypervisor';
import { needDoc } from '../../../estate/documents.ts';
import { cast, guestOf, lookAtHypervisor } from '../hypervisors.ts';
import { WorkFailure, type WorkKind } from './kind.ts';

/** Casts guests on their hypervisors: volumes, definition, and power on when that is asked. */
export const casting: WorkKind = {
  kind: 'cast',
  title: 'Cast of',
  limit: 'hypervisor',
  refuse: async (ctx, name) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    if (!doc.guest) return 'it is no guest';
    const g = await guestOf(ctx, name);
    const there = await guestState(g.driver, name).catch(() => undefined);
    return there?.state === 'running' ? `it runs on ${g.on.name} already` : undefined;
  },
  run: async ({ ctx, host, signal, asked, progress }) => {
    const g = await guestOf(ctx, host, signal);
    const steps = g.mould.disks.length + 2;
    try {
      await cast(g, undefined, (text, done) => progress(Math.round((done / steps) * 100), text));
      if (asked.start) {
        await progress(95, 'starting');
        await start(g.driver, host);
      }
    } catch (e) {
      throw e instanceof ProtocolError ? castFailure(host, g.on.name, e) : e;
    }
    await lookAtHypervisor(ctx, g.on.name);
    return asked.start ? `runs on ${g.on.name}` : `defined on ${g.on.name}`;
  },
};

/** What a hypervisor's refusal means for whoever casts. */
export function castFailure(host: string, on: string, e: ProtocolError): WorkFailure {
  const full = e.status === 507;
  return new WorkFailure(
    `${host} was not cast on ${on}: ${e.detail}`,
    full
      ? 'Move a guest away, make the pool larger, or cast it elsewhere; what was made of it has been taken away.'
      : e.fault === 'credentials'
        ? `Correct the credential of ${on} in the keyring.`
        : 'Look whether the hypervisor answers under Hosts, Hypervisors.',
  );
}
