import { at, each, setTo } from '../check.ts';

export const SVC004 = each('Charter', {
  code: 'SVC-004',
  severity: 'stop',
  about: 'two planned services have one name, or one address',
  find: (c) => {
    const services = c.servicePool?.services ?? [];
    return services.flatMap((s, i) => {
      const before = services.slice(0, i);
      const named = before.some((o) => o.name === s.name && o.namespace === s.namespace);
      const other = s.address ? before.find((o) => o.address === s.address) : undefined;
      if (!named && !other) return [];
      return [
        at(c, ['servicePool', 'services', i, named ? 'name' : 'address'], {
          title: named ? `${s.namespace}/${s.name} is planned twice` : `${s.name} and ${other?.name} have ${s.address}`,
          text: named
            ? 'A cluster has one service of a name in a namespace.'
            : 'Who asks for the address gets one of them, as their ports decide; the other waits.',
          remedy: named
            ? setTo(
                c,
                ['servicePool', 'services'],
                services.filter((_, k) => k !== i),
                'Take it out',
              )
            : setTo(c, ['servicePool', 'services', i, 'address'], undefined, 'Let it follow'),
        }),
      ];
    });
  },
});
