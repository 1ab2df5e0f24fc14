import type { Rollout } from '@praesidor/contract';
import { stepIds } from '@praesidor/core/rollout';
import { passed, type StepStatus, stateText } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { stepMarks } from '../../parts/Steps.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { runState } from '../../state/run-state.ts';
import { scoped, useScope } from '../../state/scope.ts';

/** How a template was rolled out last. */
export const useRollout = (template: string) =>
  useQuery({
    queryKey: ['rollout', template],
    queryFn: () => api<Rollout>('GET', `/api/templates/${template}/rollout`),
  });

/** The last roll-out of a template: each cluster in its wave, with how far it is; and what can be done about it. */
export function RolloutSection({ template, last }: { template: string; last: NonNullable<Rollout['last']> }) {
  const leave = useMay();
  const { site } = useScope();
  const { open, broken } = runState(last);
  const act = useCall<object, 'pause' | 'continue' | 'stop' | 'resume'>(
    (how) => ({ method: 'POST', path: `/api/templates/${template}/rollout/${how}` }),
    '',
    [['rollout', template]],
  );
  const button = (label: string, how: 'pause' | 'continue' | 'stop' | 'resume') => (
    <Button disabled={!leave.may('builds.run') || act.isPending} title={leave.why('builds.run')} onClick={() => act.mutate(how)}>
      {label}
    </Button>
  );
  const { steps } = last.status;
  const all = last.asked.waves.flat();
  const done = all.filter((c) => passed(steps[stepIds.change(c)]?.state)).length;
  return (
    <section aria-label="Roll-out" className="pt-4">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="mr-auto text-lg">
          Roll-out of version {last.asked.version}{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {last.status.state === 'done' ? 'done' : stateText[last.status.state]}, {done} of {counted(all.length, 'cluster')},
            begun by {last.createdBy}, <When at={last.createdAt} />
          </span>
        </h2>
        {open && last.status.state !== 'paused' && button('Pause', 'pause')}
        {last.status.state === 'paused' && button('Continue', 'continue')}
        {open && button('Stop', 'stop')}
        {broken && button('Resume', 'resume')}
      </div>
      <Refused error={act.error} />
      <table className="grid-table" aria-label="Roll-out">
        <thead>
          <tr>
            <th>Cluster</th>
            <th>Images there</th>
            <th>Charter and checks</th>
            <th>Change and proof</th>
          </tr>
        </thead>
        <tbody>
          {last.asked.waves.map((clusters, n) => {
            const rest = steps[stepIds.rest(n + 1)];
            return (
              <Fragment key={clusters[0]}>
                <tr>
                  <td colSpan={4} className="text-ink-2">
                    Wave {n + 1}
                    {rest?.until && rest.state === 'waiting' ? (
                      <>
                        , begins <When at={rest.until} />
                      </>
                    ) : n && !passed(rest?.state) ? (
                      `, when wave ${n} is proved and has rested ${counted(last.asked.restHours, 'hour')}`
                    ) : (
                      ''
                    )}
                  </td>
                </tr>
                {clusters.map((c) => (
                  <tr key={c}>
                    <td className="font-semibold">
                      <Link to={scoped(`/clusters/${c}`, site)} className="hover:underline">
                        {c}
                      </Link>
                    </td>
                    <Cell step={steps[stepIds.ahead(c)]} />
                    <Cell step={steps[stepIds.bring(c)]} />
                    <Cell step={steps[stepIds.change(c)]} />
                  </tr>
                ))}
              </Fragment>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function Cell({ step }: { step: StepStatus | undefined }) {
  const state = step?.state ?? 'waiting';
  return (
    <td className="max-w-[260px] whitespace-normal!">
      <Mark kind={stepMarks[state]} title={state} />{' '}
      <span className={state === 'failed' ? 'text-brick' : ''}>
        {step?.text ?? ''}
        {state === 'running' && (step?.of ?? 0) > 1 ? ` ${step?.done} of ${step?.of}` : ''}
      </span>
      {state === 'waiting' && step?.until && (
        <span className="block text-ink-2 text-sm">
          again <When at={step.until} />
        </span>
      )}
      {step?.remedy && state === 'failed' && <span className="block text-ink-2 text-sm">{step.remedy}</span>}
    </td>
  );
}
