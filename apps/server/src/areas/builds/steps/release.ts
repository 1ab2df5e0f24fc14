import { hostWith } from '@praesidor/core/ledger';
import type { Change, Reservation } from '@praesidor/core/model';
import { keyOf } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { lockDocs, writeChanges } from '../../../estate/documents.ts';
import { loadEstate } from '../../../estate/load.ts';
import { nameOf } from '../name.ts';
import type { StepRunner } from '../step.ts';

/**
 * Releases the addresses of a cluster that is taken down. Those of a host stay reserved until it is wiped: what lies on its drives would come
 * up with them.
 */
export const release: StepRunner = {
  kind: 'release',
  run: ({ ctx, build }) =>
    ctx.db.transaction(async (m) => {
      const { estate } = await loadEstate(m);
      const hosts = new Map(estate.hosts.map((h) => [h.name, h]));
      /** A host that has it on its drives. */
      const holds = (r: Reservation) => {
        const h = hosts.get(hostWith(r) ?? '');
        return h !== undefined && (h.held?.charter === build.charter || h.state === 'resting');
      };
      const own = estate.reservations.filter((r) => r.owner.kind === 'charter' && r.owner.name === build.charter);
      const changes = own
        .filter((r) => !holds(r))
        .map((r): Change => ({ kind: 'Reservation', key: keyOf(r), before: r, after: null }));
      await lockDocs(m, changes);
      await writeChanges(m, changes, nameOf(build), '');
      const left = own.length - changes.length;
      return `${counted(changes.length, 'address', 'addresses')} released${left ? `; ${left} of hosts stay reserved until these are wiped` : ''}`;
    }),
};
