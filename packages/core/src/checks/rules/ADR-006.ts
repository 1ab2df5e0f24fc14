import { each, planFor } from '../check.ts';

export const ADR006 = each('Charter', {
  code: 'ADR-006',
  severity: 'stop',
  about: 'a charter finds no address where it needs one, or one set is taken',
  find: (c, view) => {
    const plan = planFor(view, c);
    const lacking = plan.problems
      .filter((p) => p.about === 'addresses')
      .map((p) => ({
        subject: { kind: 'Charter' as const, name: c.name },
        path: p.path,
        site: c.site,
        title: 'No address is left',
        text: `${p.text}.`,
      }));
    const taken = (['api', 'inbound'] as const).flatMap((use) => {
      const set = c[use].address;
      const other =
        set &&
        view
          .by('Reservation', 'address', set)
          .find((r) => r.network === c.machineNetwork && !(r.owner.kind === 'charter' && r.owner.name === c.name));
      return other
        ? [
            {
              subject: { kind: 'Charter' as const, name: c.name },
              path: [use, 'address'],
              site: c.site,
              title: `${set} is taken`,
              text: `It is set as the ${use} address and reserved for ${other.name ?? other.owner.name}.`,
              remedy: {
                label: 'Let it follow instead',
                edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: [use, 'address'], value: undefined }],
              },
            },
          ]
        : [];
    });
    return [...lacking, ...taken];
  },
});
