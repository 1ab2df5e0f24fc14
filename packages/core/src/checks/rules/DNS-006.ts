import { type Check, planSlices } from '../check.ts';

export const DNS006: Check = {
  code: 'DNS-006',
  severity: 'stop',
  about: 'a wildcard by hand points elsewhere than the inbound router',
  reads: [...planSlices, 'records'],
  find: (view) =>
    view.estate.charters.flatMap((c) => {
      const { inbound } = view.plan(c);
      return view.estate.records
        .filter(
          (r) =>
            (r.name.endsWith(r.zone) ? r.name : `${r.name}.${r.zone}`) === inbound.name &&
            r.type === 'A' &&
            r.value !== inbound.address,
        )
        .map((r) => ({
          subject: { kind: 'Charter' as const, name: c.name },
          path: ['inbound', 'name'],
          site: c.site,
          title: `${inbound.name} points at ${r.value}`,
          text: `The inbound router will stand at ${inbound.address || 'an address not chosen yet'}; a record by hand says ${r.value}. Published applications would not be found.`,
          remedy: {
            label: 'Remove the record by hand',
            edits: [{ op: 'drop' as const, kind: 'Record' as const, key: `${r.name} ${r.type} ${r.value}` }],
          },
        }));
    }),
};
