import { secondsText } from '../../words/amounts.ts';
import { at, each } from '../check.ts';

export const STO009 = each('Charter', {
  code: 'STO-009',
  severity: 'mind',
  about: 'a workload that must not be away for long has a local volume',
  find: (d) => {
    const classes = new Map((d.storage ?? []).map((c) => [c.name, c]));
    const standard = (d.storage ?? []).find((c) => c.standard);
    return (d.workloads ?? []).flatMap((w, i) =>
      (w.volumes ?? []).flatMap((v, k) => {
        const of = v.class === undefined ? standard : classes.get(v.class);
        if (w.mayBeAway === undefined || of?.kind !== 'local') return [];
        const copies = (d.storage ?? []).find((c) => c.kind === 'copies');
        const path = ['workloads', i, 'volumes', k, 'class'];
        return [
          at(d, path, {
            title: `${w.name} may be away for ${secondsText(w.mayBeAway)}, and its volume lies on one host`,
            text: `Lost with that host, ${v.name} is there again when the host is: no timer mends that.`,
            ...(copies
              ? {
                  remedy: {
                    label: `Keep it in ${copies.name}`,
                    edits: [{ op: 'set' as const, kind: 'Charter' as const, key: d.name, path, value: copies.name }],
                  },
                }
              : {}),
          }),
        ];
      }),
    );
  },
});
