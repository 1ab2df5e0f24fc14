import { resolve } from '@praesidor/core/charter';
import { chartersOf, readEstate } from '../estate.ts';
import type { CommandOf } from '../options.ts';

export const follow: CommandOf = (options, write) => {
  const estate = readEstate(options);
  const plans = chartersOf(estate, options.charter).map((c) => resolve(c, estate));
  if (options.json) write(`${JSON.stringify(options.charter ? plans[0] : plans, null, 2)}\n`);
  else
    for (const p of plans) {
      write(`${p.charter.name}\n`);
      for (const f of p.follows) write(`  ${f.label.padEnd(18)} ${f.text}\n`);
      for (const q of p.problems) write(`  lacking            ${q.path.join('.')}: ${q.text}\n`);
    }
  return plans.some((p) => p.problems.some((q) => q.about !== 'bill')) ? 1 : 0;
};
