import { planOf } from '../../backup/plans.ts';
import { counted } from '../../words/amounts.ts';
import { at, each } from '../check.ts';

export const STO013 = each('Charter', {
  code: 'STO-013',
  severity: 'mind',
  about: 'volumes of the workloads are backed up by no plan',
  find: (d, view) => {
    // What is kept from another cluster is backed up there.
    const from = new Set((d.standbys ?? []).map((s) => s.workload));
    const asked = (d.workloads ?? []).flatMap((w) =>
      (from.has(w.name) ? [] : (w.volumes ?? [])).map((v) => `${w.name}/${v.name}`),
    );
    const bare = asked.filter((v) => !planOf(d, v));
    if (!bare.length) return [];
    const stores = view.all('BackupStore');
    const sealed = view.get('Site', d.site)?.reach === 'sealed';
    const store = stores.find((s) => (s.site === d.site) === sealed) ?? (sealed ? undefined : stores[0]);
    const taken = new Set((d.backups ?? []).map((b) => b.name));
    const name = ['nightly', 'daily', 'others'].find((n) => !taken.has(n)) ?? `plan-${taken.size + 1}`;
    const plan = { name, volumes: bare, store: store?.name ?? '', at: '0 2 * * *', keep: { last: 7 }, trial: '0 5 * * 0' };
    return [
      at(d, ['backups'], {
        title: `${bare.length === 1 ? `${bare[0]} is` : `${bare.length} of ${counted(asked.length, 'volume')} are`} not backed up`,
        text: `${bare.slice(0, 5).join(', ')}${bare.length > 5 ? ' …' : ''}: copies in the cluster follow every mistake at once.`,
        ...(store
          ? {
              remedy: {
                label: `Back up every night to ${store.name}`,
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Charter' as const,
                    key: d.name,
                    path: ['backups'],
                    value: [...(d.backups ?? []), plan],
                  },
                ],
              },
            }
          : {
              remedy: {
                label: 'Declare a store',
                act: { kind: 'open' as const, path: `/declare?kind=BackupStore&site=${d.site}` },
              },
            }),
      }),
    ];
  },
});
