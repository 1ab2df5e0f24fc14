import { formatIp, parseIp, parsePrefix } from '../../address/parse.ts';
import { reservedEnds } from '../../address/space.ts';
import { openIn } from '../../ledger/open.ts';
import { at, chartersOn, each, setTo } from '../check.ts';

export const NET016 = each('Network', {
  code: 'NET-016',
  severity: 'stop',
  about: 'a gateway is an end of its prefix',
  find: (d, view) => {
    const g = d.gateway;
    if (!g || !reservedEnds(parsePrefix(d.prefix)).includes(parseIp(g).n)) return [];
    const free = openIn(view, { ...d, gateway: undefined }).nextFree();
    return [
      at(d, ['gateway'], {
        charters: chartersOn(view, d.name),
        title: `The gateway of ${d.name} is an end of its prefix`,
        text: `${g} is ${parseIp(g).n === parsePrefix(d.prefix).n ? 'the address of the network itself' : 'its broadcast address'} in ${d.prefix}.`,
        ...(free ? { remedy: setTo(d, ['gateway'], formatIp(free), `Set ${formatIp(free)}`) } : {}),
      }),
    ];
  },
});
