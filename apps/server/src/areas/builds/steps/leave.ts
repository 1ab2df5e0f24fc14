import { hostWith } from '@praesidor/core/ledger';
import { type Change, keyOf } from '@praesidor/core/model';
import { kube } from '@praesidor/protocols/kube';
import { lockDocs, writeChanges } from '../../../estate/documents.ts';
import { loadEstate } from '../../../estate/load.ts';
import { nameOf } from '../name.ts';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';
import { letRest, switchOff } from './switch-off.ts';

/** Switches a host off, takes it out of the cluster, and lets it rest until it is wiped. */
export const leave: StepRunner = {
  kind: 'leave',
  run: async (context) => {
    const { step, estate, kube: k, log } = context;
    const host = estate.hosts.find((h) => h.name === step.host);
    if (!host) throw new StepFailure(`there is no host ${step.host}`);
    await switchOff(context, host);
    await kube(k(), `/api/v1/nodes/${host.name}`, { method: 'DELETE' });
    await log('taken out of the cluster');
    await letRest(context, host.name);
    const over = await handOver(context, host.name);
    return `off, and rests until it is wiped${over ? `; ${over}` : ''}`;
  },
};

/** Addresses of a host that has left go over to the one that takes its place, as the plan has it. @returns what went over; undefined: nothing */
async function handOver({ ctx, build, plan, log }: StepContext, host: string): Promise<string | undefined> {
  return ctx.db.transaction(async (m) => {
    const { estate } = await loadEstate(m);
    const planned = new Map(plan.reservations.map((r) => [keyOf(r), r]));
    const changes = estate.reservations.flatMap((r): Change[] => {
      const next = planned.get(keyOf(r));
      const own = r.owner.kind === 'charter' && r.owner.name === build.charter && hostWith(r) === host;
      return own && next && hostWith(next) !== host ? [{ kind: 'Reservation', key: keyOf(r), before: r, after: next }] : [];
    });
    if (!changes.length) return undefined;
    await lockDocs(m, changes);
    await writeChanges(m, changes, nameOf(build), '');
    const to = changes
      .map((c) => (c.after?.kind === 'Reservation' ? `${c.after.address} is ${hostWith(c.after)}'s` : ''))
      .join(', ');
    await log(`${to}; ${host} must stay off until it is wiped: what lies on its drives has that address too`, 'warn');
    return to;
  });
}
