import type { RecordSeal, WholeAct } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useId, useState } from 'react';
import { api, ApiError } from '../../api/client.ts';
import { type ActDto, type ActsWanted, useActs } from '../../api/queries.ts';
import ProposeDialog from '../../frame/ProposeDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Input } from '../../parts/Fields.tsx';
import { SavedFilters } from '../../parts/SavedFilters.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useUndo } from '../../state/act.ts';
import { useMay } from '../../state/may.ts';
import { useScope, useTyped } from '../../state/scope.ts';
import { PeopleNav } from './PeopleNav.tsx';

/** Days of a filter, as instants: from the first moment of one to the last of another, in the browser’s time. */
const instant = (day: string, more = 0): string => {
  const at = new Date(`${day}T00:00:00`);
  if (Number.isNaN(at.getTime())) return '';
  at.setDate(at.getDate() + more);
  return at.toISOString();
};

/** Who did what, newest first: looked for by what, whom and when; each act with what was before and after. */
export function RecordSpace() {
  const [text, setText] = useTyped('text');
  const [who, setWho] = useTyped('who');
  const [token, setToken] = useTyped('token');
  const [from, setFrom] = useTyped('from');
  const [to, setTo] = useTyped('to');
  // What is in the address is asked: it follows when the typing rests.
  const { params } = useScope();
  const asked = (name: string) => params.get(name) ?? '';
  const wanted: ActsWanted = {
    // Shorter ones are in everything.
    text: asked('text').length < 3 ? '' : asked('text'),
    who: asked('who'),
    token: asked('token'),
    from: instant(asked('from')),
    to: instant(asked('to'), 1),
  };
  const acts = useActs(wanted);
  const undo = useUndo();
  const leave = useMay();
  const [open, setOpen] = useState<number>();
  /** An act that one person alone does not undo. */
  const [proposing, setProposing] = useState<ActDto>();
  const list = acts.data?.pages.flat() ?? [];
  const all = () => {
    for (const set of [setText, setWho, setToken, setFrom, setTo]) set('');
  };
  return (
    <Space
      space="record"
      title="Record"
      facts="who did what, newest first"
      sheets={<PeopleNav />}
      findings={[]}
      acts={
        <a className="font-semibold text-verdigris hover:underline" href="/api/acts/export" download="record.jsonl">
          Export as JSON lines
        </a>
      }
    >
      <search className="flex flex-wrap items-end gap-3 pt-2 pb-1">
        <Filter label="What" className="w-56" value={text} onChange={setText} placeholder="saved the charter" />
        <Filter label="Who" className="w-28" value={who} onChange={setWho} placeholder="iris" />
        <Filter label="Token" className="w-28" value={token} onChange={setToken} placeholder="nightly" />
        <Filter label="From" type="date" value={from} onChange={setFrom} />
        <Filter label="To" type="date" value={to} onChange={setTo} />
        {(text || who || token || from || to) && <Button onClick={all}>Show all</Button>}
        <span className="ml-auto pb-1">
          <Seal />
        </span>
      </search>
      <SavedFilters page="/record" keys={['text', 'who', 'token', 'from', 'to']} />
      <Refused error={acts.error} />
      <table className="grid-table mt-2" aria-label="Acts">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>Did</th>
            <th>To what</th>
            <th>From</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.map((a) => (
            <Fragment key={a.id}>
              <tr data-row tabIndex={-1} className={open === a.id ? 'lit' : ''}>
                <td className="mono">
                  <When at={a.at} as="exact" />
                </td>
                <td>
                  {a.who}
                  {a.token && <span className="text-ink-2">, token {a.token}</span>}
                </td>
                <td>{a.act}</td>
                <td className="max-w-[360px] truncate" title={a.subject}>
                  {a.subject}
                </td>
                <td className="mono text-ink-2 text-sm">{a.address ?? '—'}</td>
                <td className="whitespace-nowrap text-right">
                  <button
                    type="button"
                    className="font-semibold text-verdigris hover:underline"
                    aria-expanded={open === a.id}
                    aria-label={`Details of act ${a.id}`}
                    onClick={() => setOpen(open === a.id ? undefined : a.id)}
                  >
                    Details
                  </button>
                  {a.canUndo && leave.may('plan.undo') && (
                    <button
                      type="button"
                      className="ml-3 font-semibold text-verdigris hover:underline"
                      disabled={undo.isPending}
                      onClick={() =>
                        undo.mutate(a.id, {
                          onError: (e) => {
                            if (e instanceof ApiError && e.code === 'four-eyes') setProposing(a);
                          },
                        })
                      }
                    >
                      Undo
                    </button>
                  )}
                </td>
              </tr>
              {open === a.id && (
                <tr>
                  <td colSpan={6} className="whitespace-normal! bg-leaf">
                    <Details act={a} />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
      {proposing && (
        <ProposeDialog title={`Undo: ${proposing.act}`} what={{ undoes: proposing.id }} onClose={() => setProposing(undefined)} />
      )}
      {acts.data && list.length === 0 && <p className="py-3 text-ink-2">No act on record fits.</p>}
      {acts.hasNextPage && (
        <div className="py-3 text-center">
          <Button disabled={acts.isFetchingNextPage} onClick={() => void acts.fetchNextPage()}>
            Show earlier acts
          </Button>
        </div>
      )}
    </Space>
  );
}

function Filter(of: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  type?: string;
  className?: string;
  placeholder?: string;
}) {
  const id = useId();
  return (
    <div className="text-sm">
      <label htmlFor={id} className="text-ink-2">
        {of.label}
      </label>
      <Input
        id={id}
        type={of.type ?? 'text'}
        className={`block text-base ${of.className ?? ''}`}
        value={of.value}
        placeholder={of.placeholder}
        onChange={(e) => of.onChange(e.target.value)}
      />
    </div>
  );
}

/** Whether what is on record is what was put down. */
function Seal() {
  const seal = useQuery({ queryKey: ['acts', 'seal'], queryFn: () => api<RecordSeal>('GET', '/api/acts/seal') }).data;
  if (!seal) return null;
  if (seal.broken.length)
    return (
      <span className="text-brick">
        Changed since it was put down: {seal.broken.map((b) => `acts ${b.after + 1} to ${b.last}`).join(', ')}
      </span>
    );
  return (
    <span className="text-ink-2 text-sm" title={seal.sealed ? `digest ${seal.sealed.digest}` : undefined}>
      {seal.sealed ? `sealed to act ${seal.sealed.last}` : 'not sealed yet'}
      {seal.checkedAt && (
        <>
          , unchanged when it was checked <When at={String(seal.checkedAt)} />
        </>
      )}
    </span>
  );
}

const shown = (value: unknown): string => (value === undefined ? '—' : typeof value === 'string' ? value : JSON.stringify(value));

/** One act: what else is on record of it, and each field that it changed. */
function Details({ act }: { act: ActDto }) {
  const { data, error } = useQuery({ queryKey: ['acts', act.id], queryFn: () => api<WholeAct>('GET', `/api/acts/${act.id}`) });
  if (!data) return <Refused error={error} />;
  const facts = Object.entries(data.detail);
  return (
    <div className="py-1">
      <p className="text-ink-2 text-sm">
        Act {data.id}
        {data.undoes !== null && `, which undid act ${data.undoes}`}
        {data.undoneBy !== null && `, undone by act ${data.undoneBy}`}
      </p>
      {facts.length > 0 && (
        <dl className="grid grid-cols-[auto_1fr] gap-x-4 py-1 text-sm">
          {facts.map(([k, v]) => (
            <Fragment key={k}>
              <dt className="text-ink-2">{k}</dt>
              <dd className="mono break-all">{shown(v)}</dd>
            </Fragment>
          ))}
        </dl>
      )}
      {data.fields.length > 0 && (
        <table className="grid-table" aria-label={`Fields that act ${data.id} changed`}>
          <thead>
            <tr>
              <th>Document</th>
              <th>Field</th>
              <th>Before</th>
              <th>After</th>
            </tr>
          </thead>
          <tbody>
            {data.fields.map((f) => (
              <tr key={`${f.kind} ${f.key} ${f.path}`}>
                <td>
                  {f.kind} {f.key}
                </td>
                <td className="mono">{f.path || 'all of it'}</td>
                <td className="mono max-w-[260px] whitespace-normal! break-all">{shown(f.before)}</td>
                <td className="mono max-w-[260px] whitespace-normal! break-all">{shown(f.after)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data.more > 0 && <p className="text-ink-2 text-sm">and {counted(data.more, 'further field')}</p>}
      {!facts.length && !data.fields.length && <p className="text-ink-2">Nothing else is on record of it.</p>}
    </div>
  );
}
