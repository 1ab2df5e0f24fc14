import type { Step, StepState, StepStatus } from '@praesidor/core/schedule';
import { Mark } from './Mark.tsx';

const marks = {
  waiting: 'free',
  running: 'half',
  done: 'done',
  skipped: 'done',
  failed: 'failing',
  cut: 'free',
} as const satisfies Record<StepState, string>;

/** Steps of a run with how each stands, and what can be done about one that failed. */
export function Steps({ steps, status }: { steps: readonly Step[]; status: Record<string, StepStatus> }) {
  return (
    <table className="grid-table" aria-label="Steps">
      <tbody>
        {steps.map((s) => {
          const now = status[s.id];
          const state = now?.state ?? 'waiting';
          return (
            <tr key={s.id}>
              <td className="font-semibold">{s.lane}</td>
              <td>{s.title}</td>
              <td className="whitespace-normal!">
                <Mark kind={marks[state]} /> <span className={state === 'failed' ? 'text-brick' : ''}>{now?.text ?? state}</span>
                {now?.remedy && <span className="block text-ink-2">{now.remedy}</span>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
