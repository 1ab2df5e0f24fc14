import { fasterText, type RunStatus, type Step, worthSpeedingUp } from '@praesidor/core/schedule';
import { useMemo } from 'react';
import { span } from '../../parts/time.ts';

/** What of the steps ahead is worth speeding up, the most first: what would be otherwise, and how much earlier it ends. Nothing where nothing is. */
export function Faster({ steps, status, now }: { steps: readonly Step[]; status: RunStatus; now: number }) {
  const list = useMemo(() => worthSpeedingUp(steps, status, now).slice(0, 4), [steps, status, now]);
  if (!list.length) return null;
  return (
    <section>
      <h2 className="pt-4 pb-1 text-lg">Worth speeding up</h2>
      <table className="grid-table" aria-label="Worth speeding up">
        <thead>
          <tr>
            <th>If</th>
            <th className="num">ends earlier by</th>
          </tr>
        </thead>
        <tbody>
          {list.map((f) => (
            <tr key={fasterText(f)}>
              <td>{fasterText(f)}</td>
              <td className="num text-plum">↳ {span(f.saves * 1000)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
