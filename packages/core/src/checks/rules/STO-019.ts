import { at, each, planFor } from '../check.ts';

export const STO019 = each('Charter', {
  code: 'STO-019',
  severity: 'stop',
  about: 'backups lie on a host of the cluster that they are of',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const host = view.get('BackupStore', b.store)?.host;
      if (!host || !planFor(view, d).nodes.some((n) => n.host === host)) return [];
      return [
        at(d, ['backups', i, 'store'], {
          title: `${b.store} runs on ${host}, which is a node of ${d.name}`,
          text: `Backups of ${d.name} would be lost with its host, and could not be read while the cluster is away.`,
          charters: [d.name],
        }),
      ];
    }),
});
