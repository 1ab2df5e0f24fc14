import { billsOf } from '@praesidor/core/model';
import { mirrorRules } from '@praesidor/core/images';
import type { Bill, Charter, Estate } from '@praesidor/core/model';

/** The mirror of a charter, and the rules by which its nodes find there what its bills name. */
export function rulesOf(estate: Estate, charter: Charter) {
  const mirror = estate.registries.find((r) => r.name === charter.mirror);
  const bills = billsOf(charter).flatMap((n): Bill[] => (estate.observed.bills[n] ? [estate.observed.bills[n]] : []));
  return { mirror, rules: mirror ? mirrorRules(bills, mirror) : [] };
}
