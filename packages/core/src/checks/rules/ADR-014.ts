import { at, each, setTo } from '../check.ts';

export const ADR014 = each('Charter', {
  code: 'ADR-014',
  severity: 'stop',
  about: 'two clusters are given one virtual address',
  find: (d, view) => {
    return (['api', 'inbound'] as const).flatMap((use) => {
      const a = d[use].address;
      const other =
        a &&
        view
          .by('Charter', 'network', d.machineNetwork)
          .find((x) => x.name < d.name && [x.api.address, x.inbound.address].includes(a));
      return other
        ? [
            at(d, [use, 'address'], {
              title: `${a} is set for ${other.name} too`,
              text: `It is set as the ${use === 'api' ? 'API' : 'inbound'} address of ${d.name}, and stands in the charter of ${other.name}.`,
              remedy: setTo(d, [use, 'address'], undefined, 'Let it follow'),
            }),
          ]
        : [];
    });
  },
});
