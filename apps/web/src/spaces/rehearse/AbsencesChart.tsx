import { absencesOf, type Verdict } from '@praesidor/core/rehearse';
import { useCallback, useMemo } from 'react';
import { barParts, stackedBars } from '../../parts/bars.ts';
import { Chart } from '../../parts/Chart.tsx';

/** All cases by their longest absence: how many are short, and how many do not mend themselves. */
export function AbsencesChart({ cases }: { cases: readonly Verdict[] }) {
  const list = useMemo(() => absencesOf(cases), [cases]);
  const drawn = useCallback(
    (colour: (n: string) => string) =>
      stackedBars(
        colour,
        list.map((a) => a.label),
        [
          { label: 'mends itself', data: list.map((a) => a.mends) },
          { label: 'does not', data: list.map((a) => a.stays) },
        ],
      ),
    [list],
  );
  return (
    <figure className="pt-2">
      <figcaption className="text-ink-2">
        Cases by their longest absence; <span className="text-brick">in red</span>, something does not come back by itself
      </figcaption>
      <Chart
        uses={barParts}
        config={drawn}
        says={list.map((a) => `${a.label}: ${a.mends + a.stays}`).join(', ')}
        className="h-[120px]"
      />
    </figure>
  );
}
