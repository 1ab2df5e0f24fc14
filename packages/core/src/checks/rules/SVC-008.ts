import { trace } from '../../reach/trace.ts';
import { at, each } from '../check.ts';
import { poolEnd, reachAt, someoneIn } from '../reach.ts';

export const SVC008 = each('Charter', {
  code: 'SVC-008',
  severity: 'mind',
  about: 'clients cannot reach the service pool, or get no answer',
  find: (c, view) => {
    const reach = reachAt(view, c.site);
    const network = view.get('Network', c.machineNetwork);
    if (!network || !c.servicePool) return [];
    const to = poolEnd(c, network.name, network.mtu);
    return view
      .by('Network', 'site', c.site)
      .filter((n) => n.purpose === 'client')
      .flatMap((n) => {
        const t = trace(reach, someoneIn(reach, n), to, 1);
        const stop = t.forward.stop ?? t.back.stop;
        if (stop?.sort !== 'dead') return [];
        return [
          at(c, ['servicePool', 'range'], {
            title: t.forward.stop
              ? `${n.name} does not reach what ${c.name} publishes`
              : `What ${c.name} publishes has no way back to ${n.name}`,
            text: `${t.forward.stop ? 'The question' : 'The answer'} stops at ${stop.at}: ${stop.why}.`,
            ...(t.edits.length
              ? {
                  remedy: {
                    label: `Add ${[...(t.forward.stop?.lacking ?? []), ...(t.back.stop?.lacking ?? [])].join(', ')}`,
                    edits: t.edits,
                  },
                }
              : {}),
          }),
        ];
      });
  },
});
