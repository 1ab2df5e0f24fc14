import { at, eachGroup } from '../check.ts';

export const ADR017 = eachGroup('Reservation', 'name', {
  code: 'ADR-017',
  severity: 'mind',
  about: 'one name is reserved for two owners',
  find: (d, view) => {
    const [first, ...others] = d;
    return others.flatMap((r) =>
      r.owner.kind === first.owner.kind && r.owner.name === first.owner.name
        ? []
        : [
            at(r, ['name'], {
              site: view.get('Network', r.network)?.site ?? '',
              title: `${r.name} is two things`,
              text: `${first.address} has that name for ${first.owner.name}, and ${r.address} for ${r.owner.name}.`,
            }),
          ],
    );
  },
});
