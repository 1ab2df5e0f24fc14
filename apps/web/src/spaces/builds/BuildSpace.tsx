import { changeKind } from '@praesidor/core/changes';
import type { Finding } from '@praesidor/core/checks';
import {
  behindFailed,
  type DecisionWords,
  decisions,
  expectedEnd,
  headline,
  stateText,
  summaryOf,
  timeline,
  underWay,
} from '@praesidor/core/schedule';
import { useMemo, useState } from 'react';
import { Link, useParams } from 'react-router';
import { type BuildWhole, useBuild, useMe } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { useNow } from '../../frame/Ribbon.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { clock, clocks, span } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { ApproveDialog } from '../proposals/ApproveDialog.tsx';
import { Faster } from './Faster.tsx';
import { Lanes } from './Lanes.tsx';
import { StepLog } from './StepLog.tsx';
import { useMay } from '../../state/may.ts';
import { ProofTable } from './ProofTable.tsx';

export function BuildSpace() {
  const leave = useMay();
  const may = leave.may('builds.run');
  const login = useMe().data?.login;
  const [approving, setApproving] = useState(false);
  const { charter = '', number = '' } = useParams();
  const { params, setParams, site } = useScope();
  const build = useBuild(charter, number);
  const now = useNow(500);
  const b = build.data;
  const renew = [['build', charter, number], ['builds']];
  const act = useCall<object, 'pause' | 'continue' | 'stop' | 'resume' | 'retry'>(
    (what: 'pause' | 'continue' | 'stop' | 'resume' | 'retry') => ({
      method: 'POST',
      path: `/api/builds/${charter}/${number}/${what}`,
    }),
    '',
    renew,
  );
  const decide = useCall<object, [DecisionWords['key'], string[]]>(
    ([key, hosts]: [DecisionWords['key'], string[]]) => ({
      method: 'POST',
      path: `/api/builds/${charter}/${number}/${b && underWay(b.status) ? 'retry' : 'resume'}`,
      body: { [key]: hosts },
    }),
    '',
    renew,
  );
  const [deciding, setDeciding] = useState<DecisionWords>();
  const findings = useMemo(() => (b ? findingsOf(b) : []), [b]);
  // Many courses are drawn for it: not at each second.
  const about5s = Math.floor(now / 5000) * 5000;
  const ends = useMemo(() => (b ? expectedEnd(b.steps, b.status, about5s) : { from: 0, middle: 0, to: 0 }), [b, about5s]);
  if (!b)
    return (
      <Space space="build" title={`Build ${number}`} findings={[]}>
        {build.error && <Empty title="There is no such build">{build.error.message}</Empty>}
      </Space>
    );
  const { status, steps } = b;
  const asked = b.approval === 'asked' && status.state === 'queued';
  const running = steps.filter((s) => status.steps[s.id]?.state === 'running');
  /** Steps that failed of something that somebody can decide about. */
  const failedOf = (d: DecisionWords | undefined) =>
    steps.filter((s) => {
      const st = status.steps[s.id];
      return st?.state === 'failed' && st.code && decisions[st.code] === d;
    });
  const open = Object.values(decisions).filter((d) => failedOf(d).length);
  const about = failedOf(deciding);
  const failed = steps.find((s) => status.steps[s.id]?.state === 'failed');
  const chosen = params.get('step') ?? failed?.id ?? running.at(-1)?.id ?? (status.state === 'done' ? 'proof' : steps[0]?.id);
  const t = timeline(steps, status, now);
  const done = Object.values(status.steps).filter((s) => s.state === 'done').length;
  const active = underWay(status);
  const choose = (id: string) =>
    setParams(
      (p) => {
        p.set('step', id);
        return p;
      },
      { replace: true },
    );
  const stuck = behindFailed(steps, status);
  const next = steps
    .filter((s) => status.steps[s.id]?.state === 'waiting' && !stuck.has(s.id))
    .map((s) => ({ s, at: t.bars.find((x) => x.id === s.id)?.start ?? 0 }))
    .sort((x, y) => x.at - y.at)
    .slice(0, 7);
  return (
    <Space
      space="build"
      crumbs={
        <>
          <Link className="hover:underline" to={scoped('/builds', site)}>
            Builds
          </Link>{' '}
          /{' '}
          <Link className="hover:underline" to={scoped(`/clusters/${charter}`, site)}>
            {charter}
          </Link>
        </>
      }
      title={b.kind === 'build' ? `Build ${number}` : b.title}
      findings={findings}
      facts={`${status.begun ? `began ${clock(status.begun)} · ` : ''}${b.approvedBy ? `approved by ${b.approvedBy} · ` : ''}${done} of ${steps.length} steps · ${status.state === 'done' ? `proved ${status.ended ? clock(status.ended) : ''}, took ${span(Date.parse(status.ended ?? '') - Date.parse(status.begun ?? ''))}` : status.state === 'failed' ? `failed at ${failed?.lane} ${failed?.title}` : active && !failed ? headline(summaryOf(steps, status), clock(ends.middle), clocks(ends.from, ends.to)) : active ? `not before ${clock(ends.middle)}` : stateText[status.state]}`}
      acts={
        <>
          <a
            className="rounded-[3px] border border-rule-2 bg-leaf px-3 py-1.5 font-semibold"
            href={`/api/builds/${charter}/${number}/evidence.tar.gz`}
            download
          >
            Evidence
          </a>
          {status.state !== 'queued' && (
            <Link
              className="rounded-[3px] border border-rule-2 bg-leaf px-3 py-1.5 font-semibold"
              to={scoped(`/builds/${charter}/${number}/compare`, site)}
            >
              Compare
            </Link>
          )}
          {status.state === 'running' && (
            <Button disabled={!may} onClick={() => act.mutate('pause')}>
              Pause after running steps
            </Button>
          )}
          {status.state === 'paused' && (
            <Button filled disabled={!may} onClick={() => act.mutate('continue')}>
              Continue
            </Button>
          )}
          {active && (
            <Button disabled={!may} onClick={() => act.mutate('stop')}>
              Stop
            </Button>
          )}
          {asked && (
            <Button
              filled
              disabled={!leave.may('proposals.approve') || b.createdBy === login}
              title={b.createdBy === login ? 'somebody else approves what you began' : leave.why('proposals.approve')}
              onClick={() => setApproving(true)}
            >
              Approve…
            </Button>
          )}
          {(status.state === 'failed' || status.state === 'stopped') && b.approval !== 'asked' && (
            <Button filled disabled={!may || act.isPending} onClick={() => act.mutate('resume')}>
              Resume
            </Button>
          )}
          {status.state === 'done' && (
            <Link
              className="rounded-[3px] border border-verdigris bg-verdigris px-3 py-1.5 font-semibold text-on-fill"
              to={scoped(`/clusters/${charter}?tab=proof`, site)}
            >
              Outputs
            </Link>
          )}
        </>
      }
      extra={
        next.length > 0 && (
          <MarginPart title="Next">
            {next.map(({ s, at }) => (
              <div key={s.id} className="flex justify-between py-0.5 text-ink-2">
                <span>
                  {s.lane === charter ? '' : `${s.lane} `}
                  {s.title}
                </span>
                <span className="mono">{active && <When at={at} as="clockSeconds" />}</span>
              </div>
            ))}
          </MarginPart>
        )
      }
    >
      {asked && (
        <p className="mt-3 border-ochre border-l-[3px] bg-leaf px-3 py-2" role="status">
          {b.createdBy} began it. It is carried out as it stands below when somebody else has approved it.
        </p>
      )}
      {approving && (
        <ApproveDialog
          run={{ id: b.run, title: b.title, by: b.createdBy, steps: steps.length, site: b.plan.charter.site }}
          onClose={() => setApproving(false)}
        />
      )}
      {failed && (
        <div className="mt-3 flex items-center gap-3 border-brick border-l-[3px] bg-brick-tint px-3 py-2">
          <b className="min-w-0 text-brick">
            {active
              ? headline(summaryOf(steps, status), clock(ends.middle), clocks(ends.from, ends.to))
              : `${failed.lane} ${failed.title} failed`}
          </b>
          <span className="ml-auto flex shrink-0 gap-2.5">
            {open.map((d) => (
              <Button key={d.key} disabled={!may || decide.isPending} onClick={() => setDeciding(d)}>
                {d.label}
              </Button>
            ))}
            {active && (
              <Button filled disabled={!may || act.isPending} onClick={() => act.mutate('retry')}>
                Retry failed steps
              </Button>
            )}
          </span>
        </div>
      )}
      <div className="flex items-baseline justify-between gap-4 py-1.5">
        <span className="min-w-0 truncate" role="status">
          <b>{status.state === 'paused' ? 'Paused' : 'Now'}</b>{' '}
          {running.length
            ? running
                .map(
                  (s) =>
                    `${s.lane} ${s.title}${status.steps[s.id]?.of ? ` ${status.steps[s.id]?.done}/${status.steps[s.id]?.of}` : ''}`,
                )
                .join(' · ')
            : status.state === 'done'
              ? changeKind(b.kind).ends
                ? 'nothing: the cluster is gone'
                : 'nothing: the cluster is as planned'
              : 'nothing runs'}
        </span>
        <span className="shrink-0 text-ink-2 text-sm">underlined: critical path</span>
      </div>
      <Lanes build={b} now={now} chosen={chosen} onChoose={choose} />
      {status.state === 'done' && b.proof && chosen === 'proof' && (
        <div className="pt-4">
          <ProofTable proof={b.proof} />
        </div>
      )}
      {active && <Faster steps={steps} status={status} now={about5s} />}
      {chosen && <StepLog key={chosen} build={b} step={chosen} onChoose={choose} />}
      {deciding && about.length > 0 && (
        <TypedDialog
          title={deciding.title(about.map((s) => s.host ?? charter).join(', '))}
          about={`${about.map((s) => status.steps[s.id]?.text).join('; ')}. ${deciding.about}`}
          words={about.map((s) => s.host ?? charter).join(' ')}
          act={deciding.act}
          onDone={() => decide.mutate([deciding.key, about.map((s) => s.host ?? charter)])}
          onClose={() => setDeciding(undefined)}
          same={() => decide.call([deciding.key, about.map((s) => s.host ?? charter)])}
        />
      )}
    </Space>
  );
}

/** What stands in the margin of a build: what broke, what healed by itself, what is slow. */
function findingsOf(b: BuildWhole): Finding[] {
  const base = { area: 'BLD' as const, site: b.plan.charter.site, charters: [], path: [] };
  const out: Finding[] = [];
  for (const s of b.steps) {
    const st = b.status.steps[s.id];
    if (!st) continue;
    const subject = { kind: 'Host' as const, name: s.host ?? b.charter };
    if (st.state === 'failed')
      out.push({
        ...base,
        id: `BLD-001 ${s.id}`,
        code: 'BLD-001',
        severity: 'stop',
        subject,
        title: `${s.lane}: ${s.title} failed`,
        text: `${st.text}${/[.!?]$/.test(st.text ?? '') ? '' : '.'} ${st.remedy ?? ''}`,
      });
    if (st.healed.length)
      out.push({
        ...base,
        id: `BLD-002 ${s.id}`,
        code: 'BLD-002',
        severity: 'note',
        subject,
        title: `${s.lane} healed by itself`,
        text:
          st.healed.length > 2
            ? `${st.healed.slice(0, 2).join('; ')}; and ${st.healed.length - 2} more.`
            : `${st.healed.join('; ')}.`,
      });
    if (st.state === 'running' && st.started) {
      const took = Date.now() - Date.parse(st.started);
      const same = b.steps
        .filter((x) => x.kind === s.kind && x.id !== s.id)
        .map((x) => b.status.steps[x.id])
        .flatMap((x) => (x?.state === 'done' && x.started && x.ended ? [Date.parse(x.ended) - Date.parse(x.started)] : []));
      const usual = same.length >= 2 ? same.reduce((n, x) => n + x, 0) / same.length : undefined;
      if (usual && took > 2 * usual && took > 3000)
        out.push({
          ...base,
          id: `BLD-003 ${s.id}`,
          code: 'BLD-003',
          severity: 'mind',
          subject,
          title: `${s.lane} is slow on ${s.title}`,
          text: `${span(took)} against ${span(usual)} on its neighbours.`,
        });
    }
  }
  const rank = { stop: 0, mind: 1, note: 2 };
  return out.sort((x, y) => rank[x.severity] - rank[y.severity]);
}
