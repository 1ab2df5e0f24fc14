import { parsePrefix } from '../../address/parse.ts';
import { familiesOf } from '../../charter/families.ts';
import { at, each, setTo } from '../check.ts';

export const CHT018 = each('Charter', {
  code: 'CHT-018',
  severity: 'stop',
  about: 'pods and services have different versions of IP, or both of them the same',
  find: (d) => {
    const all = familiesOf(d);
    const mixed = all.flatMap((f) => {
      const [pods, services] = [parsePrefix(f.pods), parsePrefix(f.services)];
      return pods.v === services.v
        ? []
        : [
            at(d, f.at.services, {
              title: `Services have IPv${services.v}, pods IPv${pods.v}`,
              text: `${f.services} and ${f.pods}: a service of one version cannot lead to pods of the other.`,
            }),
          ];
    });
    const [first, second] = all.map((f) => parsePrefix(f.pods).v);
    return [
      ...mixed,
      ...(second !== undefined && first === second
        ? [
            at(d, ['second', 'pods'], {
              title: `Both ranges of pods have IPv${second}`,
              text: `${d.pods.range} and ${d.second?.pods}: the second is for the other version of IP.`,
              remedy: setTo(d, ['second'], undefined, 'Take the second out'),
            }),
          ]
        : []),
    ];
  },
});
