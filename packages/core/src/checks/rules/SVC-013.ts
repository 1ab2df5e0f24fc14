import { waysBetween } from '../../reach/apart.ts';
import { at, each } from '../check.ts';
import { reachAt } from '../reach.ts';

export const SVC013 = each('Charter', {
  code: 'SVC-013',
  severity: 'stop',
  about: 'two clusters that are to be kept apart reach each other, or one is not there',
  find: (c, view) =>
    (c.apart ?? []).flatMap((name, i) => {
      const other = view.get('Charter', name);
      if (!other)
        return [
          at(c, ['apart', i], {
            title: `${c.name} is kept apart from ${name}, which is not there`,
            text: 'No cluster of that name is declared: a slip of the pen keeps nothing apart.',
          }),
        ];
      // Clusters of other sites are looked at where both are known.
      if (other.site !== c.site) return [];
      const ways = waysBetween(reachAt(view, c.site), c, other);
      const [first] = ways;
      if (!first) return [];
      const edits = ways.flatMap((w) => w.edits);
      return [
        at(c, ['apart', i], {
          title: first.over.length ? `${first.from} reaches ${first.to}` : `${c.name} and ${name} lie in one network`,
          text: first.over.length
            ? `What a machine of ${first.from} sends to ${first.what} of ${first.to} arrives, over ${first.over.join(' and ')}${ways.length > 1 ? `; ${ways.length} ways in all` : ''}.`
            : `Both have their machines in ${c.machineNetwork}: nothing stands between them that could keep them apart.`,
          // One rule at a time: the next way is told of when this one is closed.
          ...(first.edits.length && edits.length ? { remedy: { label: 'Deny it', edits: first.edits } } : {}),
        }),
      ];
    }),
});
