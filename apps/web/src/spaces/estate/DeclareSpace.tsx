import { counted } from '@praesidor/core/words';
import { type CreatableKind, creatableKinds, fieldWords, withFields } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useCallback, useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { type Snapshot, useMe, useSnapshot } from '../../api/queries.ts';
import ProposeDialog from '../../frame/ProposeDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { AsksTwo } from '../../parts/AsksTwo.tsx';
import { Button } from '../../parts/Button.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Collisions } from '../../parts/Collisions.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import type { LineMark } from '../../parts/YamlEditor.tsx';
import { useCall } from '../../state/call.ts';
import { useDrafts } from '../../state/drafts.ts';
import { scoped, useScope } from '../../state/scope.ts';
import type { Collided } from '../../workers/compute.worker.ts';
import { computer, computerWith } from '../../workers/compute.ts';
import { lineOf } from '../../parts/lines.ts';
import { Reach } from '../clusters/Reach.tsx';
import { Differences } from './Differences.tsx';
import { DocumentForms } from './DocumentForms.tsx';

const YamlEditor = lazy(() => import('../../parts/YamlEditor.tsx'));
const none: never[] = [];
const nothing: Record<string, object | null> = {};
const severities = { stop: 'error', mind: 'warning', note: 'info' } as const;
const places: Partial<Record<CreatableKind, string>> = {
  Network: '/addresses',
  Gateway: '/addresses/routes',
  Zone: '/addresses/names',
  Registry: '/images',
  Host: '/hosts',
};

/** Documents as forms and as text, with what they would change and what the checks would say of it, before anything is saved. */
export function DeclareSpace() {
  const { site, params, setParams } = useScope();
  const navigate = useNavigate();
  const snapshot = useSnapshot();
  const kind = creatableKinds.find((k) => k === params.get('kind'));
  const me = useMe().data;
  const revision = snapshot.data?.revision;
  const edit = params.get('edit') ?? '';
  // Fields that are known from where somebody comes from: `?kind=Network&purpose=management`.
  const given = kind ? Object.fromEntries([...params].filter(([k]) => k !== 'site' && Object.hasOwn(fieldWords[kind], k))) : {};
  const wish = edit ? `edit ${edit}` : kind ? ['begin', kind, site, ...Object.values(given)].join(' ') : 'text';
  const key = `${me?.login} ${wish}`;
  const draft = useDrafts((s) => s.texts[key]);
  const setDraft = useDrafts((s) => s.setText);
  // What a wish begins with, until something is typed.
  const begin = useQuery({
    queryKey: ['begun', wish, draft ? '' : revision],
    enabled: snapshot.data !== undefined && draft === undefined && wish !== 'text',
    // The estate moves on while somebody reads the form: it stays there until the text for now is known.
    placeholderData: (old, before) => (before?.queryKey[1] === wish ? old : undefined),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 1000,
    queryFn: async () => {
      const c = await computerWith(snapshot.data as Snapshot);
      return edit ? await c.text(edit) : await c.starter(kind as CreatableKind, site || undefined, given);
    },
  });
  const text = draft?.text ?? (wish === 'text' ? '' : (begin.data ?? ''));
  // What is typed is seen at once in its field; the other fields and the text beside follow when there is a moment.
  const drawn = useDeferredValue(text);
  const base = draft?.base ?? nothing;
  const read = useQuery({
    queryKey: ['declared', text, revision, JSON.stringify(base)],
    enabled: snapshot.data !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => {
      if (snapshot.data) await computerWith(snapshot.data);
      return (await computer().declare(text, base)) ?? null;
    },
  });
  // The editor is never given an older text than the one that was typed in it.
  const typedThere = useRef<string>(undefined);
  const setText = (next: string) => {
    typedThere.current = next;
    if (next === text) return;
    const kept = { ...read.data?.met, ...base };
    setDraft(key, next ? { text: next, base: kept, since: draft?.since ?? new Date().toISOString() } : undefined);
  };
  // What a draft begins from, for the first field that is set; later ones find the draft.
  const from = useRef({ text, base });
  from.current = { text, base };
  const form = useCallback(
    (next: (now: string) => string) => {
      const now = useDrafts.getState().texts[key] ?? { ...from.current, since: new Date().toISOString() };
      try {
        setDraft(key, { ...now, text: next(now.text) });
      } catch {
        // The text cannot be read: the editor says where.
      }
    },
    [key, setDraft],
  );
  // Documents that the text names by now are remembered as they stood when it first did.
  const met = read.data?.met;
  useEffect(() => {
    const fresh = Object.entries(met ?? {}).filter(([n]) => !Object.hasOwn(base, n));
    if (draft && fresh.length) setDraft(key, { ...draft, base: { ...Object.fromEntries(fresh), ...draft.base } });
  }, [met, base, draft, key, setDraft]);
  const reach =
    useQuery({
      queryKey: ['reach', text, revision],
      enabled: snapshot.data !== undefined && /^kind: Template$/m.test(text),
      gcTime: 1000,
      queryFn: async () => (snapshot.data ? await (await computerWith(snapshot.data)).reach(text) : none),
    }).data ?? none;
  /** Documents as they stood when the draft was begun. */
  const began = Object.values({ ...read.data?.met, ...base }).filter((d) => d !== null);
  const [proposing, setProposing] = useState(false);
  const save = useCall<{ added: number; changed: number; act: number }>(
    () => ({
      method: 'POST',
      path: '/api/import',
      body: {
        text,
        file: 'declared',
        base: began,
      },
    }),
    (r) => `${said(r.added, 'added')}${r.added && r.changed ? ', ' : ''}${said(r.changed, 'changed')}.`,
  );
  const collisions = read.data?.collisions ?? none;
  /** Theirs goes into the text; either way what the person began from is now what stands, so that the choice is known. */
  const decide = async (c: Collided, whose: 'mine' | 'theirs') => {
    if (!draft) return;
    const next = whose === 'theirs' ? await computer().set(text, c.document, c.path, c.theirs) : text;
    const known = withFields(draft.base[c.name] ?? {}, [{ path: c.path, after: c.theirs }], 'after');
    setDraft(key, { ...draft, text: next, base: { ...draft.base, [c.name]: known } });
  };
  const { differences = none, lines = none, faults = none } = read.data ?? {};
  // Nothing is saved yet, so a remedy that edits has nothing to edit: the text above is where it is mended.
  const findings = useMemo(
    () => (read.data?.findings ?? []).map((f) => (f.remedy?.edits ? { ...f, remedy: undefined } : f)),
    [read.data],
  );
  const wanted = differences.filter((d) => d.what !== 'same');
  const asks = read.data?.asks;
  const marks = useMemo(
    () =>
      findings.flatMap((f): LineMark[] => {
        const at = differences.findIndex((d) => d.kind === f.subject.kind && d.key === f.subject.name);
        if (at < 0) return [];
        const line = lineOf(text, lines[at] ?? 1, f.path[0]);
        return [{ line, severity: severities[f.severity], message: `${f.code} ${f.title}. ${f.text}` }];
      }),
    [findings, differences, lines, text],
  );
  const go = () => {
    const [only] = wanted;
    const back = params.get('back');
    if (back?.startsWith('/') && !back.startsWith('//')) return void navigate(scoped(back, site));
    const to = only?.kind === 'Charter' ? `/clusters/${only.key}` : (places[only?.kind as CreatableKind] ?? '/estate');
    void navigate(scoped(to, site));
  };
  return (
    <Space
      space="declare"
      crumbs={
        <Link to={scoped('/estate', site)} className="hover:underline">
          Estate
        </Link>
      }
      title={edit ? 'Edit' : 'Declare'}
      facts={
        differences.length ? `${counted(differences.length, 'document')}` : 'documents as YAML, several with --- between them'
      }
      findings={findings}
      foot="The margin shows what the checks would find that they do not find now."
      acts={
        <>
          {draft && <Button onClick={() => setDraft(key, undefined)}>Discard draft</Button>}
          <FilePicker accept=".yaml,.yml,.json" onText={setText} />
          {wanted.length > 0 && (
            <Button
              filled={asks !== undefined}
              className={asks ? 'order-last' : ''}
              disabled={faults.length > 0 || collisions.length > 0}
              onClick={() => setProposing(true)}
            >
              Propose…
            </Button>
          )}
          <Button
            filled={asks === undefined}
            disabled={asks !== undefined || !wanted.length || faults.length > 0 || collisions.length > 0 || save.isPending}
            title={collisions.length ? 'decide what two people changed first' : ''}
            onClick={() =>
              save.mutate(undefined, {
                onSuccess: () => {
                  setDraft(key, undefined);
                  go();
                },
              })
            }
          >
            {wanted.length
              ? `Save ${wanted.length === 1 ? `${wanted[0]?.kind} ${wanted[0]?.key}` : `${wanted.length} documents`}`
              : 'Nothing to save'}
          </Button>
        </>
      }
    >
      <div className={`flex flex-wrap items-baseline gap-x-4 gap-y-1 py-2.5 ${edit ? 'hidden' : ''}`}>
        <span className="whitespace-nowrap text-ink-2">Begin a</span>
        {creatableKinds.map((k) => (
          <button
            type="button"
            key={k}
            aria-pressed={kind === k}
            className={kind === k ? 'border-ink border-b-2 font-semibold' : 'text-verdigris hover:underline'}
            onClick={() => {
              setParams((p) => {
                const kept = new URLSearchParams({ kind: k });
                const here = p.get('site');
                if (here) kept.set('site', here);
                return kept;
              });
            }}
          >
            {k.toLowerCase()}
          </button>
        ))}
        <span className="text-ink-3">or paste, or open a file; hosts come faster with a sweep</span>
      </div>
      {draft && !collisions.length && (
        <p className="pb-1.5 text-ink-3" role="status">
          Not saved yet. This draft of <When at={draft.since} as="both" /> is kept in this browser until you save or discard it.
        </p>
      )}
      {collisions.length > 0 && (
        <div className="my-2 border-ochre border-l-[3px] px-3 py-1" role="status">
          <b>
            {[...new Set(collisions.map((c) => c.name))].join(', ')} changed since you began, where you changed it too. Choose
            what is to be saved.
          </b>
          <Collisions list={collisions} onDecide={(c, whose) => void decide(c as Collided, whose)} />
        </div>
      )}
      <Refused error={save.error} />
      {asks && <AsksTwo who={asks} />}
      {proposing && (
        <ProposeDialog
          title={wanted.length === 1 ? `${wanted[0]?.kind} ${wanted[0]?.key}` : counted(wanted.length, 'document')}
          what={{ text, base: began }}
          onDone={() => {
            setDraft(key, undefined);
            void navigate(scoped('/proposals', site));
          }}
          onClose={() => setProposing(false)}
        />
      )}
      <div className={text && snapshot.data ? 'grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start gap-4' : ''}>
        {text && snapshot.data && <DocumentForms key={wish} text={drawn} estate={snapshot.data.estate} onText={form} />}
        <div className={text ? 'sticky top-0 max-h-[calc(100vh-90px)] overflow-auto pt-2.5' : ''}>
          <Suspense fallback={<p className="text-ink-3">Loading the editor…</p>}>
            <YamlEditor
              estate={snapshot.data?.estate}
              label="Documents as text"
              text={typedThere.current === text ? text : drawn}
              faults={faults}
              marks={marks}
              onChange={setText}
            />
          </Suspense>
        </div>
      </div>
      <Differences list={differences} />
      {reach.map((r) => (
        <section key={r.name} aria-label={`Clusters of ${r.name}`} className="pt-4">
          <h2 className="text-lg">
            It would be version {r.after} of {r.name}: what it changes
          </h2>
          <Reach reach={r} before={r.before} after={r.after} />
        </section>
      ))}
    </Space>
  );
}

const said = (n: number, what: string) => (n ? `${counted(n, 'document')} ${what}` : '');
