import { nextTime, type StandbyRow, storesView, volumesView, clockChanges } from '@praesidor/core/backup';
import { counted, gigabytesText, momentText, secondsText } from '@praesidor/core/words';
import { estateOf, estateOption, nowOption, plannedCluster } from '../estate.ts';
import { type Asked, type CommandGroup, tell } from '../options.ts';

const common = [estateOption, nowOption];
const spell = (ms: number | undefined) => (ms === undefined ? 'not known' : secondsText(ms / 1000));

/** How far a standby copy is behind, and how far it may be. */
const behind = (s: StandbyRow): string => {
  const may = `may be ${spell(s.mayLag)} behind`;
  if (s.state === 'active') return 'active';
  return s.lag === undefined ? `holds nothing that is known here, ${may}` : `${spell(s.lag)} behind, ${may}`;
};
function viewed(asked: Asked) {
  const { estate, plan, room } = plannedCluster(asked);
  return { estate, view: volumesView(plan, room, estate) };
}

/** Volumes of a cluster, as planned. */
export const volumes: CommandGroup = {
  name: 'volumes',
  about: 'volumes of a cluster as planned: their room, their copies, and what can be lost of them',
  commands: [
    {
      name: 'list',
      about:
        'each volume with the hosts that have a copy, its backups, and what can be lost; exit code 1: one has no place for a copy',
      words: '<cluster>',
      options: common,
      run: (asked, write) => {
        const { view } = viewed(asked);
        const { room } = view;
        tell(asked, write, view, [
          ...(room
            ? [
                `room: ${gigabytesText(room.raw)} raw, ${gigabytesText(room.withCopies)} with ${counted(room.copies, 'copy', 'copies')}, ${gigabytesText(room.afterLoss)} without the largest host, ${gigabytesText(room.afterReserve)} with a fifth kept free`,
              ]
            : []),
          ...view.volumes.map((v) => {
            const copies = v.copies.map((c) => c ?? 'no host').join(' ');
            const backed = v.store
              ? `${v.plan?.name}, ${v.count} kept, can lose ${spell(v.loses)}, read back in ${spell(v.back)}`
              : 'not backed up';
            return `${v.name} ${gigabytesText(v.sizeGB)} ${v.class ?? 'no class'}: ${copies || 'at the NFS server'}; ${v.from ? `standby copy of ${v.from}` : backed}`;
          }),
          ...view.standbys.map(
            (s) =>
              `standby copy ${s.standby.workload} of ${s.standby.of} of ${s.standby.cluster}: ${counted(s.volumes.length, 'volume')}, ${behind(s)}`,
          ),
          ...view.keptAt.map((s) => `${s.standby.of} is kept at ${s.charter} too: ${behind(s)}`),
          ...(view.volumes.length ? [] : ['no workload has a volume']),
        ]);
        return view.volumes.some((v) => v.copies.includes(undefined)) ? 1 : 0;
      },
    },
  ],
};

/** Backups, as planned. */
export const backup: CommandGroup = {
  name: 'backup',
  about: 'backups of volumes, as planned: when they are made, and what comes to lie where',
  commands: [
    {
      name: 'plan',
      about:
        'when volumes of a cluster are backed up next, for how long that is kept, and days on which clocks change at that time',
      words: '<cluster>',
      options: common,
      run: (asked, write) => {
        const { estate, view } = viewed(asked);
        const now = Date.parse(estate.now);
        const moment = (ms: number) => momentText(new Date(ms).toISOString(), view.zone);
        const plans = view.plans.map((p) => ({
          name: p.plan.name,
          at: p.plan.at,
          store: p.plan.store,
          keep: p.plan.keep,
          volumes: p.volumes,
          next: p.next.map((n) => n.at),
          takes: p.next[0]?.takes,
          trial: p.trial,
          clocks: clockChanges(p.plan.at, view.zone, now),
        }));
        tell(
          asked,
          write,
          { zone: view.zone, plans },
          plans.length
            ? plans.flatMap((p) => {
                const next = p.next[0] ?? nextTime(p.at, view.zone, now);
                return [
                  `${p.name} (${p.at}, ${view.zone}): ${p.volumes.join(', ') || 'no volume'} to ${p.store}; next ${next === undefined ? 'never' : moment(next)}${p.takes === undefined ? '' : `, takes ${spell(p.takes)}`}; ${p.trial === undefined ? 'never tested' : `tested ${moment(p.trial)}`}`,
                  ...p.clocks.map((c) =>
                    c.is === 'lacking'
                      ? `  ${moment(c.at)}: there is no ${c.planned} on that day`
                      : `  ${moment(c.at)}: ${c.planned} comes twice on that day, the first counts`,
                  ),
                ];
              })
            : ['nothing is backed up'],
        );
        return 0;
      },
    },
    {
      name: 'stores',
      about: 'what comes to lie in each store once plans have run long enough; exit code 1: more than one may hold',
      words: '',
      options: common,
      run: (asked, write) => {
        const rows = storesView(estateOf(asked));
        tell(
          asked,
          write,
          rows.map((r) => ({
            store: r.store.name,
            site: r.store.site,
            sizeGB: r.store.sizeGB,
            plannedGB: r.sumGB,
            clusters: r.taken,
          })),
          rows.length
            ? rows.map(
                (r) =>
                  `${r.store.name} (${r.store.site}): ${gigabytesText(r.sumGB)} planned${r.store.sizeGB ? ` of ${gigabytesText(r.store.sizeGB)}` : ''}${r.taken.length ? `; ${r.taken.map((t) => `${t.charter} ${gigabytesText(t.gb)}`).join(', ')}` : ''}`,
              )
            : ['no store is declared'],
        );
        return rows.some((r) => r.store.sizeGB !== undefined && r.sumGB > r.store.sizeGB) ? 1 : 0;
      },
    },
  ],
};
