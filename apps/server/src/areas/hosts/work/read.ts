import { needDoc } from '../../../estate/documents.ts';
import { refresh } from '../facts.ts';
import type { WorkKind } from './kind.ts';

/** Reads the facts of hosts again over their controllers. */
export const reading: WorkKind = {
  kind: 'read',
  title: 'Facts of',
  limit: 'controllers',
  refuse: async (ctx, name) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    return doc.bmc?.fingerprint
      ? undefined
      : doc.bmc
        ? 'the certificate of its controller has not been accepted'
        : 'it has no management controller';
  },
  run: async ({ ctx, host, who, progress }) => {
    await progress(10, 'asking its controller');
    const { facts } = await refresh(ctx, host, who);
    return facts?.unreadParts?.length ? `read, but for ${facts.unreadParts.map((u) => u.split(':')[0]).join(', ')}` : 'read';
  },
};
