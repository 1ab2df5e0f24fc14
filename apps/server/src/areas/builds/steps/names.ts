import { counted } from '@praesidor/core/words';
import { inZone } from '@praesidor/core/naming';
import { sendZone } from '../../addresses/zones.ts';
import { Refusal } from '../../../refusal.ts';
import { nameOf } from '../name.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Sends the site's zones as signed updates and reads them back. */
export const names: StepRunner = {
  kind: 'names',
  run: async ({ ctx, plan, estate, build, log }) => {
    const own = new Set(plan.reservations.flatMap((r) => r.name ?? []));
    const zones = estate.zones.filter(
      (z) => z.site === plan.charter.site || [...own].some((n) => inZone(n.replace('*.', ''), z.name)),
    );
    for (const zone of zones) {
      try {
        const sent = await sendZone(ctx, zone.name, nameOf(build));
        await log(`${zone.name}: ${sent.added} added, ${sent.changed} changed, ${sent.removed} removed, serial ${sent.serial}`);
        if (sent.left)
          throw new StepFailure(
            `${zone.name} still differs from the plan in ${sent.left} places after the update was taken`,
            'Look at what the server did with it under Addresses, Names.',
          );
      } catch (e) {
        throw e instanceof Refusal ? new StepFailure(e.message, e.more.remedy) : e;
      }
    }
    return `${counted(zones.length, 'zone')} as planned`;
  },
};
