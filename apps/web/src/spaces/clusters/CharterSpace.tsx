import type { Charter } from '@praesidor/core/model';
import { lazy, Suspense, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api, ApiError } from '../../api/client.ts';
import { useBuilds, useCharter, useMe, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useAct } from '../../state/act.ts';
import { useDraftReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { ConsequencesDialog } from './ConsequencesDialog.tsx';
import { useDrafts } from './drafts.ts';
import { Sheet } from './Sheet.tsx';

const Text = lazy(() => import('./TextTab.tsx'));
const Files = lazy(() => import('./FilesTab.tsx'));
const ProofTab = lazy(() => import('./ProofTab.tsx'));
const History = lazy(() => import('./HistoryTab.tsx'));

const order = { stop: 0, mind: 1, note: 2 };

export function CharterSpace() {
  const { name = '' } = useParams();
  const { site, params, setParams } = useScope();
  const navigate = useNavigate();
  const charter = useCharter(name);
  const snapshot = useSnapshot();
  const builds = useBuilds();
  const me = useMe().data;
  const draft = useDrafts((s) => s.drafts[name]);
  const edit = useDrafts((s) => s.edit);
  const drop = useDrafts((s) => s.drop);
  const doc = draft ?? charter.data?.doc;
  const report = useDraftReport(doc);
  const [showing, setShowing] = useState(false);
  const [clash, setClash] = useState<ApiError>();
  const save = useAct(
    async (version: number) => {
      try {
        return await api<{ revision: number; held: { hosts: string[]; addresses: string[] }; act: number }>(
          'PUT',
          `/api/charters/${name}`,
          { doc, version, hold: true },
        );
      } catch (e) {
        if (e instanceof ApiError && e.code === 'conflict') setClash(e);
        throw e;
      }
    },
    (r) => {
      drop(name);
      setShowing(false);
      setClash(undefined);
      return `Revision ${r.revision} saved${r.held.hosts.length ? `; held ${r.held.hosts.join(', ')}` : ''}.`;
    },
    [['charter', name], ['estate'], ['files', name]],
  );
  const build = useAct(
    () => api<{ charter: string; number: number }>('POST', '/api/builds', { charter: name }),
    (b) => {
      void navigate(scoped(`/builds/${b.charter}/${b.number}`, site));
      return `Build ${b.number} of ${b.charter} has begun.`;
    },
    [['builds'], ['estate']],
  );
  const tab = params.get('tab') ?? 'sheet';
  if (charter.error)
    return (
      <Space space="charter" title={name} findings={[]}>
        <Empty title={`There is no charter ${name}`}>{charter.error.message}</Empty>
      </Space>
    );
  if (!charter.data || !doc || !snapshot.data)
    return (
      <Space space="charter" title={name} findings={[]}>
        {null}
      </Space>
    );
  const { estate } = snapshot.data;
  const all = report.data?.findings ?? [];
  // What is about this cluster stands first; of its site, only what touches hosts, names and images of it.
  const findings = all
    .filter(
      (f) =>
        f.charters.includes(name) ||
        (f.subject.kind === 'Charter' && f.subject.name === name) ||
        f.subject.name === doc.mirror ||
        (f.site === doc.site && ['DNS-001', 'HST-002', 'NET-007'].includes(f.code)),
    )
    .sort((a, b) => order[a.severity] - order[b.severity]);
  const stops = findings.filter((f) => f.severity === 'stop').length;
  const running = builds.data?.find((b) => b.charter === name && ['queued', 'running', 'holding'].includes(b.status.state));
  const serves = estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving');
  const changes = report.data?.changes.length ?? 0;
  const editing = draft !== undefined && JSON.stringify(draft) !== JSON.stringify(charter.data.doc);
  const title = estate.sites.find((s) => s.name === doc.site)?.title;
  const may = me && me.role !== 'reader';
  return (
    <Space
      space="charter"
      crumbs={
        <>
          <Link to={scoped('/clusters', site)} className="hover:underline">
            Clusters
          </Link>{' '}
          / {title}
        </>
      }
      title={name}
      facts={`charter, revision ${charter.data.revisions[0]?.revision ?? 1}${editing ? ', edited' : ''}`}
      findings={findings}
      acts={
        <>
          {editing && <Button onClick={() => drop(name)}>Take back</Button>}
          {editing && (
            <Button filled onClick={() => setShowing(true)} disabled={!may}>
              Consequences and save…
            </Button>
          )}
          {!editing && running && (
            <Button filled onClick={() => void navigate(scoped(`/builds/${name}/${running.number}`, site))}>
              Watch build {running.number}
            </Button>
          )}
          {!editing && !running && !serves && (
            <Button
              filled
              disabled={stops > 0 || build.isPending || me?.role === 'reader' || me?.role === 'planner'}
              title={stops ? `${stops} findings stop it` : ''}
              onClick={() => build.mutate()}
            >
              Build
            </Button>
          )}
          {!editing && serves && (
            <Button
              onClick={() =>
                setParams((p) => {
                  p.set('tab', 'proof');
                  return p;
                })
              }
            >
              Outputs
            </Button>
          )}
        </>
      }
      foot={
        report.data && (
          <>
            Checked {report.data.checks} rules in {report.data.ms.toFixed(0)} ms. {report.data.holding} hold.
          </>
        )
      }
    >
      <div role="tablist" className="flex gap-4 border-rule-2 border-b">
        {(['sheet', 'text', 'files', 'proof', 'history'] as const).map((t) => (
          <button
            type="button"
            role="tab"
            aria-selected={tab === t}
            key={t}
            onClick={() =>
              setParams((p) => {
                p.set('tab', t);
                return p;
              })
            }
            className={`-mb-px py-2 first-letter:uppercase ${tab === t ? 'border-ink border-b-2 font-semibold' : 'text-ink-2'}`}
          >
            {t === 'proof' ? 'Proof and outputs' : t}
          </button>
        ))}
      </div>
      <Refused error={build.error} />
      {!save.error || clash ? null : <Refused error={save.error} />}
      <Suspense>
        {tab === 'sheet' && (
          <Sheet
            draft={doc}
            saved={charter.data.doc}
            plan={report.data?.plan}
            estate={estate}
            onEdit={(c: Charter) => edit(name, c)}
          />
        )}
        {tab === 'text' && <Text doc={doc} findings={findings} onEdit={(c: Charter) => edit(name, c)} />}
        {tab === 'files' && <Files name={name} edited={editing} />}
        {tab === 'proof' && <ProofTab name={name} plan={report.data?.plan} />}
        {tab === 'history' && (
          <History
            name={name}
            revisions={charter.data.revisions}
            onTake={(c: Charter) => {
              edit(name, c);
              setParams((p) => {
                p.set('tab', 'sheet');
                return p;
              });
            }}
          />
        )}
      </Suspense>
      {showing && report.data && (
        <ConsequencesDialog
          name={name}
          changes={report.data.changes}
          count={changes}
          stops={stops}
          clash={clash}
          busy={save.isPending}
          error={clash ? null : save.error}
          onClose={() => {
            setShowing(false);
            setClash(undefined);
          }}
          onSave={() =>
            save.mutate(clash ? ((clash.current as { version: number } | undefined)?.version ?? 0) : charter.data.version)
          }
          onTheirs={() => {
            drop(name);
            setShowing(false);
            setClash(undefined);
            void charter.refetch();
          }}
        />
      )}
    </Space>
  );
}
