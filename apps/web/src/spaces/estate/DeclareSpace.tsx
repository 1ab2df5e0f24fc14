import { type Begun, begun } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Refused } from '../../parts/Refused.tsx';
import type { LineMark } from '../../parts/YamlEditor.tsx';
import { useAct } from '../../state/act.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computer, computerWith } from '../../workers/compute.ts';
import { lineOf } from '../../parts/lines.ts';
import { Differences } from './Differences.tsx';

const YamlEditor = lazy(() => import('../../parts/YamlEditor.tsx'));
const none: never[] = [];
const severities = { stop: 'error', mind: 'warning', note: 'info' } as const;
const places: Partial<Record<Begun, string>> = {
  Network: '/addresses',
  Zone: '/addresses/names',
  Registry: '/images',
  Host: '/hosts',
};

/** Documents as text, with what they would change and what the checks would say of it, before anything is saved. */
export function DeclareSpace() {
  const { site, params, setParams } = useScope();
  const navigate = useNavigate();
  const snapshot = useSnapshot();
  const kind = begun.find((k) => k === params.get('kind'));
  const [text, setText] = useState('');
  const [began, setBegan] = useState('');
  const revision = snapshot.data?.revision;
  const edit = params.get('edit') ?? '';
  const wish = edit ? `edit ${edit}` : kind ? `begin ${kind} ${site}` : '';
  useEffect(() => {
    if (!wish || !snapshot.data || began === wish || (began === '' && text !== '')) return;
    void (async () => {
      await computerWith(snapshot.data);
      setText(edit ? await computer().text(edit) : await computer().begin(kind as Begun, site || undefined));
      setBegan(wish);
    })();
  }, [wish, edit, kind, site, snapshot.data, began, text]);
  const read = useQuery({
    queryKey: ['declared', text, revision],
    enabled: snapshot.data !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => {
      if (snapshot.data) await computerWith(snapshot.data);
      return (await computer().declare(text)) ?? null;
    },
  });
  const save = useAct(
    () => api<{ added: number; changed: number; act: number }>('POST', '/api/import', { text, file: 'declared', revision }),
    (r) => `${said(r.added, 'added')}${r.added && r.changed ? ', ' : ''}${said(r.changed, 'changed')}.`,
  );
  const { differences = none, lines = none, faults = none } = read.data ?? {};
  // Nothing is saved yet, so a remedy that edits has nothing to edit: the text above is where it is mended.
  const findings = useMemo(
    () => (read.data?.findings ?? []).map((f) => (f.remedy?.edits ? { ...f, remedy: undefined } : f)),
    [read.data],
  );
  const wanted = differences.filter((d) => d.what !== 'same');
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
    const to = only?.kind === 'Charter' ? `/clusters/${only.key}` : (places[only?.kind as Begun] ?? '/estate');
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
      title="Declare"
      facts={
        differences.length
          ? `${differences.length} ${differences.length === 1 ? 'document' : 'documents'}`
          : 'documents as YAML, several with --- between them'
      }
      findings={findings}
      foot="The margin shows what the checks would find that they do not find now."
      acts={
        <>
          <FilePicker accept=".yaml,.yml,.json" onText={setText} />
          <Button
            filled
            disabled={!wanted.length || faults.length > 0 || save.isPending}
            onClick={() => save.mutate(undefined, { onSuccess: go })}
          >
            {wanted.length
              ? `Save ${wanted.length === 1 ? `${wanted[0]?.kind} ${wanted[0]?.key}` : `${wanted.length} documents`}`
              : 'Nothing to save'}
          </Button>
        </>
      }
    >
      <div className="flex items-baseline gap-4 py-2.5">
        <span className="text-ink-2">Begin a</span>
        {begun.map((k) => (
          <button
            type="button"
            key={k}
            aria-pressed={kind === k}
            className={kind === k ? 'border-ink border-b-2 font-semibold' : 'text-verdigris hover:underline'}
            onClick={() => {
              setBegan('');
              setText('');
              setParams((p) => {
                p.set('kind', k);
                p.delete('edit');
                return p;
              });
            }}
          >
            {k.toLowerCase()}
          </button>
        ))}
        <span className="text-ink-3">or paste, or open a file; hosts come faster with a sweep</span>
      </div>
      <Refused error={save.error} />
      <Suspense fallback={<p className="text-ink-3">Loading the editor…</p>}>
        <YamlEditor label="Documents as text" text={text} faults={faults} marks={marks} onChange={setText} />
      </Suspense>
      <Differences list={differences} />
    </Space>
  );
}

const said = (n: number, what: string) => (n ? `${n} ${n === 1 ? 'document' : 'documents'} ${what}` : '');
