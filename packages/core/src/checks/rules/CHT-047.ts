import { secondsText } from '../../words/amounts.ts';
import { at, each, roomFor, setTo } from '../check.ts';

export const CHT047 = each('Charter', {
  code: 'CHT-047',
  severity: 'mind',
  about: 'a workload of one replica is away for longer than its owner accepts when its host is lost',
  find: (d, view) => {
    if (!d.workloads?.some((w) => w.mayBeAway !== undefined)) return [];
    const room = roomFor(view, d);
    return room.works.flatMap((w, i) => {
      if (w.mayBeAway === undefined || w.pods.length > 1) return [];
      const volumes = (room.pods[w.pods[0] ?? -1]?.volumes ?? []).flatMap((v) => room.volumes[v] ?? []);
      const accepted = secondsText(w.mayBeAway / 1000);
      if (w.kind === 'StatefulSet')
        return [
          at(d, ['workloads', i, 'mayBeAway'], {
            title: `${w.name} may be away for ${accepted}, and does not come back by itself`,
            text: 'A pod of a StatefulSet counts as running on the host that is lost until that is back, or somebody removes the pod: have two replicas, or a Deployment.',
          }),
        ];
      const held = volumes.some((v) => v.oneNode) ? room.detach : 0;
      const rest = room.grace + held + Math.max(0, ...volumes.map((v) => (v.kind === 'local' ? 0 : v.attach))) + w.ready;
      const takes = rest + w.tolerate;
      if (takes <= w.mayBeAway) return [];
      const parts = [
        `${secondsText(room.grace / 1000)} until the host counts as lost`,
        `${secondsText(w.tolerate / 1000)} that its pod waits`,
        ...(held ? [`${secondsText(held / 1000)} until its volume is freed`] : []),
        `${secondsText((rest - room.grace - held) / 1000)} until it is ready`,
      ];
      const fits = Math.floor((w.mayBeAway - rest) / 1000);
      return [
        at(d, ['workloads', i, 'mayBeAway'], {
          title: `${w.name} may be away for ${accepted}, and is for ${secondsText(takes / 1000)}`,
          text: `${parts.join(', ')}.`,
          ...(fits >= 0 ? { remedy: setTo(d, ['workloads', i, 'tolerate'], fits, `Let its pod wait ${secondsText(fits)}`) } : {}),
        }),
      ];
    });
  },
});
