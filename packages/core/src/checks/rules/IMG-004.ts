import { billsOf } from '../../model/bills.ts';
import { sizeOf } from '../../images/bill.ts';
import { bytesText } from '../../words/amounts.ts';
import { each } from '../check.ts';

export const IMG004 = each('Registry', {
  code: 'IMG-004',
  severity: 'stop',
  about: "a registry's disk cannot take what its charters need",
  find: (r, view) => {
    if (!r.diskGB) return [];
    const users = view.by('Charter', 'mirror', r.name);
    const bills = [...new Set(users.flatMap((c) => billsOf(c)))].map((n) => view.get('bill', n)).filter((b) => b !== undefined);
    // An upper bound first: shared layers are only taken apart where it matters.
    const atMost = bills.reduce((n, b) => n + sizeOf(b).declaredBytes, 0);
    const need = atMost > r.diskGB * 1e9 * 0.9 ? sizeOf(bills).declaredBytes : 0;
    return need > r.diskGB * 1e9 * 0.9
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['diskGB'],
            site: r.site,
            charters: users.map((c) => c.name),
            title: `${r.name} is too small`,
            text: `Its clusters need ${bytesText(need)}; of ${r.diskGB} GB at most 90 % may be filled.`,
          },
        ]
      : [];
  },
});
