import { parsePrefix } from '../../address/parse.ts';
import { at, each } from '../check.ts';

export const CHT018 = each('Charter', {
  code: 'CHT-018',
  severity: 'stop',
  about: 'pods and services have different versions of IP',
  find: (d) => {
    const [pods, services] = [parsePrefix(d.pods.range), parsePrefix(d.services.range)];
    return pods.v === services.v
      ? []
      : [
          at(d, ['services', 'range'], {
            title: `Services have IPv${services.v}, pods IPv${pods.v}`,
            text: `${d.services.range} and ${d.pods.range}: a service of one version cannot lead to pods of the other.`,
          }),
        ];
  },
});
