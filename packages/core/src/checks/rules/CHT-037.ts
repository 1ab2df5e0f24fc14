import { serverList } from '../../address/parse.ts';
import { at, each, setTo } from '../check.ts';

export const CHT037 = each('Charter', {
  code: 'CHT-037',
  severity: 'stop',
  about: 'a time server of a charter is no address',
  find: (d) => {
    const { rejected, servers } = serverList(d.ntp ?? []);
    return rejected.length
      ? [
          at(d, ['ntp'], {
            title: `${rejected[0]} is no address`,
            text: `The time servers of ${d.name} were understood as ${servers.join(', ') || 'none'}; left over: ${rejected.join(', ')}.`,
            remedy: setTo(
              d,
              ['ntp'],
              servers.length ? servers : undefined,
              servers.length ? `Keep ${servers.join(', ')}` : 'Let them follow',
            ),
          }),
        ]
      : [];
  },
});
