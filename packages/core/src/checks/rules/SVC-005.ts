import { at, each, planFor, setTo } from '../check.ts';

export const SVC005 = each('Charter', {
  code: 'SVC-005',
  severity: 'mind',
  about: 'routers notice that a node has died later than the cluster does',
  find: (c, view) => {
    if (c.servicePool?.announce !== 'bgp') return [];
    const plan = planFor(view, c);
    const bgp = plan.announcing.find((a) => a.by === 'bgp');
    const { moved } = plan.timers;
    if (!bgp || bgp.outage <= moved) return [];
    const least = Math.max(3, Math.floor(moved / 2));
    return [
      at(c, ['servicePool', 'hold'], {
        title: `Services are out for ${bgp.outage} s, the cluster bears ${moved}`,
        text: `Pods of a host that died run elsewhere after ${moved} s; routers send to it for ${bgp.outage} s (${bgp.parts.map((p) => `${p.what} ${p.seconds} s`).join(', ')}).`,
        remedy: setTo(c, ['servicePool', 'hold'], least, `Set a hold timer of ${least} s`),
      }),
    ];
  },
});
