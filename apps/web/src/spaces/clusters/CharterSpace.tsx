import { counted } from '@praesidor/core/words';
import { underWay } from '@praesidor/core/schedule';
import type { Charter } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { ApiError } from '../../api/client.ts';
import { useBuilds, useChange, useCharter, useMe, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Collisions } from '../../parts/Collisions.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { when } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useDraftReport } from '../../state/computed.ts';
import { baseOf, collisionsOf, decided, differs, edited, shown } from '../../state/draft.ts';
import { useDrafts } from '../../state/drafts.ts';
import { useMay } from '../../state/may.ts';
import { computer } from '../../workers/compute.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { DeleteCharterDialog } from './DeleteCharterDialog.tsx';
import { ConsequencesDialog } from './ConsequencesDialog.tsx';
import { offerBuild } from './offer.ts';
import { Sheet } from './Sheet.tsx';

const Text = lazy(() => import('./TextTab.tsx'));
const Files = lazy(() => import('./FilesTab.tsx'));
const Prerequisites = lazy(() => import('./PrerequisitesTab.tsx'));
const ProofTab = lazy(() => import('./ProofTab.tsx'));
const Reach = lazy(() => import('./ReachTab.tsx'));
const Volumes = lazy(() => import('./VolumesTab.tsx'));
const Applications = lazy(() => import('./ApplicationsTab.tsx'));
const Shell = lazy(() => import('./ShellTab.tsx'));
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
  const leave = useMay();
  const key = `${me?.login} Charter ${name}`;
  const due = useChange(name);
  const draft = useDrafts((s) => s.fields[key]);
  const setDraft = useDrafts((s) => s.setFields);
  const drop = () => setDraft(key, undefined);
  const standing = charter.data?.doc;
  const doc = standing && shown(standing, draft);
  const collisions = standing ? collisionsOf(standing, draft) : [];
  const report = useDraftReport(doc);
  const [showing, setShowing] = useState(false);
  const [deleting, setDeleting] = useState(false);
  const edit = (next: Charter, written?: { text: string; unread?: boolean }) => {
    if (!charter.data) return;
    const now = { version: charter.data.version, at: new Date().toISOString() };
    // Text that says what stands, as it was written, is no draft.
    const same = written && written.text === charter.data.text;
    setDraft(key, edited(charter.data.doc, draft, next, now, same ? undefined : written));
  };
  const save = useCall<{ revision: number; held: { hosts: string[]; notHeld?: string }; act: number }, object>(
    (body) => ({ method: 'PUT', path: `/api/charters/${name}`, body }),
    (r) => {
      drop();
      setShowing(false);
      return `Revision ${r.revision} saved${r.held.notHeld ? `; nothing was held. ${r.held.notHeld}` : r.held.hosts.length ? `; held ${r.held.hosts.join(', ')}.` : '.'}`;
    },
    [['charter', name], ['estate'], ['files', name]],
  );
  /** What is sent: the text as it was written, where it was written as text; and what it was made from, so that others' edits stay. */
  const sent = useQuery({
    queryKey: ['draft as it is sent', draft?.text ?? '', JSON.stringify(doc)],
    enabled: showing && doc !== undefined,
    gcTime: 1000,
    queryFn: async () => (draft?.text !== undefined && doc ? { text: await computer().matching(draft.text, doc) } : { doc }),
  });
  const asSent = (written: object) => ({
    ...written,
    base: standing && draft ? baseOf(standing, draft) : standing,
    hold: true,
  });
  const onSave = (written: object) =>
    save.mutate(asSent(written), {
      onError: (e) => {
        // Somebody set the same field in this moment: what they set is read, and shown beside one's own.
        if (!(e instanceof ApiError && e.collisions.length)) return;
        setShowing(false);
        void charter.refetch();
      },
    });
  const build = useCall<{ charter: string; number: number }>(
    () => ({ method: 'POST', path: '/api/builds', body: { charter: name } }),
    (b) => {
      void navigate(scoped(`/builds/${b.charter}/${b.number}`, site));
      return `Build ${b.number} of ${b.charter} has begun.`;
    },
    [['builds'], ['estate']],
  );
  const tab = params.get('tab') ?? 'sheet';
  // A link to a field leads to it.
  const field = params.get('field');
  const onSheet = doc !== undefined && tab === 'sheet';
  useEffect(() => {
    if (field && onSheet) document.querySelector<HTMLElement>(`main [data-field="${CSS.escape(field)}"]`)?.focus();
  }, [field, onSheet]);
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
  const offer = offerBuild(leave, stops, build.isPending);
  const running = builds.data?.find((b) => b.charter === name && underWay(b));
  const serves = estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving');
  // Taken down: nothing is built over what lies on the drives.
  const keeps = !serves && estate.hosts.some((h) => h.held?.charter === name && h.state === 'held' && h.held.installed);
  // Somebody else built it, and taking it in did not come to its end.
  const found = !serves && builds.data?.find((b) => b.charter === name)?.kind === 'take-in';
  const changes = report.data?.changes.length ?? 0;
  const editing = differs(charter.data.doc, draft);
  // Who saved since the draft began; several may have.
  const since = editing && draft.version !== charter.data.version;
  const theirs = charter.data.revisions.filter((r) => since && r.at > draft.since && r.by !== me?.login);
  const by = [...new Set(theirs.map((r) => r.by))].join(', ') || charter.data.revisions[0]?.by || 'the other';
  const title = estate.sites.find((s) => s.name === doc.site)?.title;
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
      facts={`charter, revision ${charter.data.revisions[0]?.revision ?? 1}${editing ? `, draft of ${when(draft.since)}` : ''}`}
      findings={findings}
      acts={
        <>
          {!editing && !running && !serves && !keeps && (
            <Button disabled={!leave.may('charters.save')} title={leave.why('charters.save')} onClick={() => setDeleting(true)}>
              Delete…
            </Button>
          )}
          {editing && <Button onClick={drop}>Discard draft</Button>}
          {editing && (
            <Button
              filled
              onClick={() => setShowing(true)}
              disabled={!leave.may('charters.save') || collisions.length > 0 || draft.unread}
              title={
                draft.unread
                  ? 'the text cannot be read'
                  : collisions.length
                    ? 'decide what two people changed first'
                    : leave.why('charters.save')
              }
            >
              Consequences and save…
            </Button>
          )}
          {!editing && running && (
            <Button filled onClick={() => void navigate(scoped(`/builds/${name}/${running.number}`, site))}>
              {running.kind === 'build' ? `Watch build ${running.number}` : 'Watch the change'}
            </Button>
          )}
          {!editing && !running && !serves && keeps && (
            <Button onClick={() => void navigate(scoped(`/clusters/${name}/change?kind=give-back`, site))}>
              Give hosts back…
            </Button>
          )}
          {!editing && !running && found && (
            <Button filled onClick={() => void navigate(scoped(`/clusters/${name}/change`, site))}>
              Take in…
            </Button>
          )}
          {!editing && !running && !serves && !keeps && !found && (
            <Button filled disabled={offer.disabled} title={offer.why} onClick={() => build.mutate()}>
              Build
            </Button>
          )}
          {!editing && !running && serves && due.data && (
            <Button filled onClick={() => void navigate(scoped(`/clusters/${name}/change`, site))}>
              {due.data.label}…
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
            {report.data.checks} checks in {report.data.ms.toFixed(0)} ms. {report.data.passed} find nothing.
          </>
        )
      }
    >
      <div role="tablist" className="flex gap-4 border-rule-2 border-b">
        {(
          ['sheet', 'text', 'files', 'applications', 'reach', 'volumes', 'requirements', 'proof', 'shell', 'history'] as const
        ).map((t) => (
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
      {editing && (
        <div className="my-2 border-ochre border-l-[3px] px-3 py-1" role="status">
          {collisions.length > 0 ? (
            <b>
              {by} changed {collisions.length === 1 ? 'a field' : `${counted(collisions.length, 'field')}`} that you changed too.
              Choose what is to be saved.
            </b>
          ) : theirs.length > 0 ? (
            <>
              <b>{by} saved this charter since you began.</b> What they changed is shown; what you changed stays yours.
            </>
          ) : (
            <span className="text-ink-2">
              Not saved yet. This draft of <When at={draft.since} /> is kept in this browser until you save or discard it.
            </span>
          )}
          {collisions.length > 0 && (
            <Collisions list={collisions} by={by} onDecide={(c, whose) => setDraft(key, decided(draft, c, whose))} />
          )}
        </div>
      )}
      {save.error instanceof ApiError && save.error.collisions.length ? null : <Refused error={save.error} />}
      <Suspense>
        {tab === 'sheet' && <Sheet draft={doc} saved={charter.data.doc} plan={report.data?.plan} estate={estate} onEdit={edit} />}
        {tab === 'text' && (
          <Text doc={doc} written={draft?.text ?? charter.data.text} findings={findings} estate={estate} onEdit={edit} />
        )}
        {tab === 'files' && <Files name={name} edited={editing} />}
        {tab === 'reach' && <Reach name={name} site={doc.site} estate={estate} />}
        {tab === 'volumes' && <Volumes name={name} site={doc.site} />}
        {tab === 'requirements' && <Prerequisites name={name} />}
        {tab === 'proof' && <ProofTab name={name} plan={report.data?.plan} />}
        {tab === 'applications' && (
          <Applications charter={charter.data.doc} editing={editing} busy={running !== undefined} due={due.data ?? undefined} />
        )}
        {tab === 'shell' && (
          <Shell name={name} stands={estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving')} />
        )}
        {tab === 'history' && (
          <History
            name={name}
            revisions={charter.data.revisions}
            onTake={(c: Charter) => {
              edit(c);
              setParams((p) => {
                p.set('tab', 'sheet');
                return p;
              });
            }}
          />
        )}
      </Suspense>
      {deleting && <DeleteCharterDialog charter={charter.data.doc} estate={estate} onClose={() => setDeleting(false)} />}
      {showing && report.data && (
        <ConsequencesDialog
          draft={doc}
          name={name}
          changes={report.data.changes}
          comes={report.data.comes}
          count={changes}
          stops={stops}
          busy={save.isPending}
          error={save.error}
          onClose={() => setShowing(false)}
          written={sent.data}
          call={(written) => save.call(asSent(written))}
          onSave={onSave}
          base={standing && (draft ? baseOf(standing, draft) : standing)}
          onProposed={() => {
            drop();
            setShowing(false);
          }}
        />
      )}
    </Space>
  );
}
