import { needDoc } from '../../../estate/documents.ts';
import { guestOf, lookAtHypervisor, uncast } from '../hypervisors.ts';
import type { WorkKind } from './kind.ts';

/** Takes guests off their hypervisors, volumes included. Their entries stay, and can be cast again. */
export const removing: WorkKind = {
  kind: 'remove',
  title: 'Removal of',
  limit: 'hypervisor',
  refuse: async (ctx, name) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    if (!doc.guest) return 'it is no guest';
    return doc.state === 'serving' && !doc.drained ? 'it serves and is not drained' : undefined;
  },
  run: async ({ ctx, host, signal, progress }) => {
    const g = await guestOf(ctx, host, signal);
    await progress(30, `taken off ${g.on.name}`);
    await uncast(g);
    await lookAtHypervisor(ctx, g.on.name);
    return `gone from ${g.on.name}`;
  },
};
