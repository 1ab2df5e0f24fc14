import { at, chartersOn, each } from '../check.ts';

export const NET017 = each('Network', {
  code: 'NET-017',
  severity: 'stop',
  about: 'the address of a gateway is reserved for something else',
  find: (d, view) => {
    const g = d.gateway;
    const other =
      g &&
      view
        .by('Reservation', 'address', g)
        .find((r) => r.network === d.name && ['host', 'charter', 'registry'].includes(r.owner.kind));
    return other
      ? [
          at(d, ['gateway'], {
            charters: chartersOn(view, d.name),
            title: `The gateway of ${d.name} is reserved for ${other.owner.name}`,
            text: `${g} is declared as the way out of ${d.name}, and the ledger has it as the address of ${other.name ?? other.owner.name}.`,
            remedy: { label: 'Show the address', act: { kind: 'open', path: `/addresses?site=${d.site}&net=${d.name}&at=${g}` } },
          }),
        ]
      : [];
  },
});
