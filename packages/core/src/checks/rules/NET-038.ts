import { holds, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { TrafficRule } from '../../model/gateway.ts';
import { ruleText } from '../../reach/rules.ts';
import { at, each } from '../check.ts';

const within = (inner: string | undefined, outer: string | undefined): boolean => {
  if (!outer) return true;
  if (!inner) return false;
  const [i, o] = [prefixRange(parsePrefix(inner)), prefixRange(parsePrefix(outer))];
  return holds(o, { v: i.v, n: i.first }) && holds(o, { v: i.v, n: i.last });
};
/** Whether everything that a rule matches is matched by another before it. */
const hidden = (r: TrafficRule, by: TrafficRule): boolean =>
  within(r.from, by.from) &&
  within(r.to, by.to) &&
  (!by.protocol || by.protocol === r.protocol) &&
  (by.port === undefined || (r.port !== undefined && r.port >= by.port && (r.lastPort ?? r.port) <= (by.lastPort ?? by.port)));

export const NET038 = each(['Gateway', 'Network'], {
  code: 'NET-038',
  severity: 'mind',
  about: 'a rule never counts: one before it matches all that it does',
  find: (d) =>
    (d.rules ?? []).flatMap((r, i) => {
      const before = (d.rules ?? []).slice(0, i).findIndex((b) => hidden(r, b));
      const other = before < 0 ? undefined : d.rules?.[before];
      if (!other) return [];
      return [
        at(d, ['rules', i], {
          title: `Rule ${i + 1} of ${d.name} never counts`,
          text: `Whatever it matches (${ruleText(r)}) is taken by rule ${before + 1} already (${ruleText(other)})${other.do === r.do ? '' : ', which says the opposite'}.`,
          remedy: {
            label: 'Take it out',
            edits: [{ op: 'set', kind: d.kind, key: d.name, path: ['rules'], value: (d.rules ?? []).filter((_, k) => k !== i) }],
          },
        }),
      ];
    }),
});
