import type { ChangePlan } from '@praesidor/core/changes';
import type { Plan } from '@praesidor/core/charter';
import { labelOfField } from '@praesidor/core/model';
import { expectedEnd, newRun, timeline, underWay } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { type ReactNode, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useBuilds, useChange, useCharter, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { span } from '../../parts/time.ts';
import { useCall } from '../../state/call.ts';
import { useDraftReport } from '../../state/computed.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { Faster } from '../builds/Faster.tsx';
import { Lanes } from '../builds/Lanes.tsx';
import { CapacityOver } from './CapacityOver.tsx';
import { offerBuild } from './offer.ts';

/** A change of a cluster as it would be made: looked at before anything is touched. */
export function ChangeSpace() {
  const { name = '' } = useParams();
  const { site, params } = useScope();
  const [confirming, setConfirming] = useState(false);
  const navigate = useNavigate();
  const change = useChange(name, params.get('kind'));
  const charter = useCharter(name);
  const snapshot = useSnapshot();
  const builds = useBuilds();
  const report = useDraftReport(charter.data?.doc);
  const leave = useMay();
  const plan = change.data;
  const begin = useCall<{ charter: string; number: number }, ChangePlan['kind']>(
    (kind: ChangePlan['kind']) => ({
      method: 'POST',
      path: '/api/builds',
      body: {
        charter: name,
        kind,
        ...(plan?.ends ? { confirm: name } : {}),
      },
    }),
    (b) => {
      void navigate(scoped(`/builds/${b.charter}/${b.number}`, site));
      return `${plan?.title} has begun.`;
    },
    [['builds'], ['estate']],
  );
  const title = snapshot.data?.estate.sites.find((s) => s.name === charter.data?.doc.site)?.title;
  const crumbs = (
    <>
      <Link to={scoped('/clusters', site)} className="hover:underline">
        Clusters
      </Link>{' '}
      / {title} /{' '}
      <Link to={scoped(`/clusters/${name}`, site)} className="hover:underline">
        {name}
      </Link>
    </>
  );
  if (change.error)
    return (
      <Space space="change" title={name} crumbs={crumbs} findings={[]}>
        <Refused error={change.error} />
      </Space>
    );
  const running = builds.data?.find((b) => b.charter === name && underWay(b));
  if (!plan || running)
    return (
      <Space space="change" title={name} crumbs={crumbs} findings={[]}>
        {running ? (
          <Empty title={`${running.title} is under way`}>
            <Link className="font-semibold text-verdigris hover:underline" to={scoped(`/builds/${name}/${running.number}`, site)}>
              Watch it
            </Link>
          </Empty>
        ) : (
          change.data === null && (
            <Empty title={`${name} stands as planned`}>
              Change its charter: more workers, or hosts that are not to be in it. What has to be done for that stands here then.
            </Empty>
          )
        )}
      </Space>
    );
  const findings = (report.data?.findings ?? []).filter(
    (f) => f.charters.includes(name) || (f.subject.kind === 'Charter' && f.subject.name === name),
  );
  const stops = findings.filter((f) => f.severity === 'stop').length;
  // What ends is kept by no finding.
  const offer = offerBuild(leave, plan.ends || plan.kind === 'take-in' ? 0 : stops, begin.isPending);
  const coming = plan.joins.filter((h) => !plan.stands.includes(h)).length;
  const given = plan.steps.filter((s) => s.kind === 'files').length;
  const status = newRun(plan.steps);
  const t = timeline(plan.steps, status, 0);
  const ends = expectedEnd(plan.steps, status, 0);
  const at = (step: string) => t.bars.find((b) => b.id === step)?.start ?? 0;
  return (
    <Space
      space="change"
      title={plan.title}
      crumbs={crumbs}
      facts="planned, not started"
      findings={findings}
      acts={
        <>
          <Button onClick={() => void navigate(scoped(`/clusters/${name}?tab=files`, site))}>File changes</Button>
          <Button
            filled
            disabled={offer.disabled || plan.refused.length > 0}
            title={plan.refused[0] ?? offer.why}
            onClick={() => (plan.ends ? setConfirming(true) : begin.mutate(plan.kind))}
          >
            {plan.ends ? `${plan.label}…` : 'Start'}
          </Button>
        </>
      }
    >
      <Refused error={begin.error} />
      {plan.refused.length > 0 && (
        <div role="alert" className="mt-3 border-brick border-l-[3px] bg-brick-tint px-3 py-2">
          <b className="text-brick">This cannot be started</b>
          {plan.refused.map((r) => (
            <div key={r}>{r}.</div>
          ))}
        </div>
      )}
      <dl className="grid grid-cols-[1fr_1fr_1.6fr_1.4fr] gap-x-4.5 pt-3">
        <Fact label="Hosts">
          {[
            coming > 0 && counted(coming, 'joins', 'join'),
            plan.joins.length > coming + given && `${plan.joins.length - coming - given} started anew`,
            given > 0 && `${given} given files while ${given === 1 ? 'it runs' : 'they run'}`,
            plan.leaves.length > 0 && counted(plan.leaves.length, 'leaves', 'leave'),
          ]
            .filter(Boolean)
            .join(', ')}
        </Fact>
        <Fact label="Takes" follows>
          about {span(ends.middle)} ({span(ends.from)} to {span(ends.to)})
        </Fact>
        <Fact label="Unavailable meanwhile" follows>
          {plan.away}
        </Fact>
        <Fact label="Cannot be undone after" follows>
          {plan.point ? `${span(at(plan.point.step))}: ${plan.point.text}` : 'nothing: it can be stopped at any time'}
        </Fact>
      </dl>
      <div className="pt-3">
        <Lanes
          build={{
            charter: name,
            steps: plan.steps,
            status,
            plan: (report.data?.plan as Plan | undefined) ?? { nodes: [] },
            moves: plan,
          }}
          now={0}
          chosen={undefined}
          point={plan.point && at(plan.point.step)}
          planned
        />
        {plan.capacity.some((p) => p.cores > 0) && (
          <CapacityOver points={plan.capacity} requested={plan.requested?.cores} end={t.end * 1.03} />
        )}
      </div>
      <h2 className="pt-4 pb-1 text-lg">What changes</h2>
      <table className="grid-table" aria-label="What changes">
        <thead>
          <tr>
            <th>What</th>
            <th>Now</th>
            <th>After</th>
            <th>How</th>
            <th>Follows from</th>
          </tr>
        </thead>
        <tbody>
          {plan.rows.map((r) => (
            <tr key={r.what}>
              <td className="font-semibold">{r.what}</td>
              <td>{r.now}</td>
              <td>{r.after}</td>
              <td>{r.how}</td>
              <td className="text-plum">
                {r.field && (
                  <Link className="hover:underline" to={scoped(`/clusters/${name}?field=${r.field}`, site)}>
                    ↳ {labelOfField('Charter', r.field.split('.'))}
                  </Link>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Faster steps={plan.steps} status={status} now={0} />
      {confirming && (
        <TypedDialog
          title={plan.title}
          about={plan.confirm ?? plan.away}
          words={name}
          act={plan.label}
          onDone={() => begin.mutate(plan.kind)}
          onClose={() => setConfirming(false)}
          same={() => begin.call(plan.kind)}
        />
      )}
    </Space>
  );
}
function Fact({ label, follows = false, children }: { label: string; follows?: boolean; children: ReactNode }) {
  return (
    <div className="border-rule-2 border-t pt-1.5">
      <dt className="text-ink-2 text-sm">{label}</dt>
      <dd className={`leading-snug ${follows ? 'text-plum' : ''}`}>
        {follows && '↳ '}
        {children}
      </dd>
    </div>
  );
}
