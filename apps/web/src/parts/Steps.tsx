import type { LastRun } from '@praesidor/contract';
import type { StepState } from '@praesidor/core/schedule';
import { Link } from 'react-router';
import { scoped, useScope } from '../state/scope.ts';
import { Mark } from './Mark.tsx';

/** How each state of a step is drawn. */
export const stepMarks = {
  waiting: 'free',
  running: 'half',
  done: 'done',
  skipped: 'done',
  failed: 'failing',
  cut: 'free',
} as const satisfies Record<StepState, string>;

/** Steps of a run with how each stands, and what can be done about one that failed. */
export function Steps({ run }: { run: Pick<LastRun, 'steps' | 'status' | 'approval' | 'approvedBy' | 'createdBy'> }) {
  const { site } = useScope();
  const { steps, status } = run;
  return (
    <>
      {run.approval === 'asked' && status.state === 'queued' && (
        <p className="my-1 border-ochre border-l-[3px] px-3 py-1" role="note">
          It begins when somebody other than {run.createdBy} has approved it:{' '}
          <Link className="font-semibold text-verdigris hover:underline" to={scoped('/proposals', site)}>
            Proposals
          </Link>
          .
        </p>
      )}
      {run.approval === 'given' && <p className="text-ink-2">Approved by {run.approvedBy}.</p>}
      <table className="grid-table" aria-label="Steps">
        <tbody>
          {steps.map((s) => {
            const now = status.steps[s.id];
            const state = now?.state ?? 'waiting';
            return (
              <tr key={s.id}>
                <td className="font-semibold">{s.lane}</td>
                <td>{s.title}</td>
                <td className="whitespace-normal!">
                  <Mark kind={stepMarks[state]} />{' '}
                  <span className={state === 'failed' ? 'text-brick' : ''}>{now?.text ?? state}</span>
                  {now?.remedy && <span className="block text-ink-2">{now.remedy}</span>}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
