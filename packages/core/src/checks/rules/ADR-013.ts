import { at, each, setTo } from '../check.ts';

export const ADR013 = each('Charter', {
  code: 'ADR-013',
  severity: 'stop',
  about: 'one address is set twice in a charter',
  find: (d, view) => {
    const own = new Map(view.by('Reservation', 'owner', `charter ${d.name}`).map((r) => [r.address, r.owner.use ?? '']));
    return (['api', 'inbound'] as const).flatMap((use) => {
      const a = d[use].address;
      if (!a) return [];
      const node = own.get(a);
      const twice =
        use === 'inbound' && a === d.api.address
          ? 'the address of the API'
          : node?.startsWith('node ')
            ? `the address of ${node.slice(5)}`
            : undefined;
      return twice
        ? [
            at(d, [use, 'address'], {
              title: `${a} is set twice`,
              text: `It is set as the ${use === 'api' ? 'API' : 'inbound'} address, and is ${twice} already.`,
              remedy: setTo(d, [use, 'address'], undefined, 'Let it follow'),
            }),
          ]
        : [];
    });
  },
});
