import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { api } from '../api/client.ts';
import { useSnapshot } from '../api/queries.ts';
import { useCall } from '../state/call.ts';
import { Button } from './Button.tsx';
import { Dialog } from './Dialog.tsx';
import { FilePicker } from './FilePicker.tsx';
import { Refused } from './Refused.tsx';

export interface TablePreview<W extends string> {
  lines: { line: number; what: W; message: string }[];
  columns: { header: string; field?: string; sample?: string; reads?: string; chosen?: true }[];
  /** What a column can be read as, where that can be chosen. */
  fields?: string[];
  fault?: { line: number; message: string };
  counts: Record<W | 'same', number>;
  more: number;
}
interface Props<W extends string, T extends object> {
  title: string;
  about: string;
  /** Where it is sent: `<at>/preview` and `<at>/import`. */
  at: string;
  site: string;
  example: string;
  /** What a line is about, and what its column is headed. */
  column: string;
  subject: (line: TablePreview<W>['lines'][number]) => string;
  /** What a line can be, in words, in the order of the counts; `take` are taken. */
  kinds: Record<W, { word: string; tone: string; take: boolean }>;
  /** More to decide before it is taken, and what of it goes with the table. */
  choices?: (preview: TablePreview<W>) => ReactNode;
  also?: object;
  done: (answer: T) => string;
  onClose: () => void;
}

/** A table that comes in: what each line will do is shown first; then all of it is taken, or nothing. */
export function ImportTable<W extends string, T extends object>(p: Props<W | 'wrong', T>) {
  const [text, setText] = useState('');
  const [leaveOut, setLeaveOut] = useState(false);
  /** What columns are to be read as, where somebody says so. */
  const [columns, setColumns] = useState<Record<string, string>>({});
  const scope = { ...(p.site ? { site: p.site } : {}), ...(Object.keys(columns).length ? { columns } : {}) };
  const revision = useSnapshot().data?.revision;
  const asked = useQuery({
    queryKey: ['preview', p.at, text, p.site, columns],
    enabled: text.trim().length > 0,
    gcTime: 1000,
    retry: false,
    placeholderData: (old) => old,
    queryFn: () => api<TablePreview<W | 'wrong'>>('POST', `${p.at}/preview`, { text, ...scope }),
  });
  const take = useCall<T>(
    () => ({ method: 'POST', path: `${p.at}/import`, body: { text, leaveOut, revision, ...scope, ...p.also } }),
    p.done,
  );
  const preview = text.trim() ? asked.data : undefined;
  const whats = Object.keys(p.kinds) as (W | 'wrong')[];
  const n = preview ? whats.reduce((sum, w) => sum + (p.kinds[w].take ? preview.counts[w] : 0), 0) : 0;
  const wrong = preview?.counts.wrong ?? 0;
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title={p.title}
      about={p.about}
      acts={
        <>
          <Button onClick={p.onClose}>Cancel</Button>
          <Button
            filled
            disabled={!preview || preview.fault !== undefined || n === 0 || (wrong > 0 && !leaveOut) || take.isPending}
            onClick={() => take.mutate(undefined, { onSuccess: p.onClose })}
          >
            {n ? `Take ${counted(n, 'line')}` : 'Nothing to take'}
          </Button>
        </>
      }
      same={take.call}
    >
      <div className="flex items-center gap-3 pb-2">
        <FilePicker accept=".csv,.tsv,.txt" onText={setText} />
        <span className="text-ink-2">or paste it here; commas, semicolons and tabs are understood</span>
      </div>
      <textarea
        aria-label="Table"
        value={text.length > 200_000 ? `${text.slice(0, 200_000)}\n…` : text}
        onChange={(e) => setText(e.target.value)}
        rows={5}
        spellCheck={false}
        className="mono w-full whitespace-pre border border-rule-2 bg-leaf px-2 py-1.5"
        placeholder={p.example}
      />
      {preview && preview.columns.length > 0 && (
        <Columns preview={preview} onChoose={(header, field) => setColumns({ ...columns, [header]: field })} />
      )}
      {preview?.fault && (
        <p className="border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">
          Line {preview.fault.line}: {preview.fault.message}
        </p>
      )}
      {preview && !preview.fault && (
        <>
          <p className="py-1.5">
            {whats.map((w) => (
              <span key={w}>
                <b className={w === 'wrong' && wrong ? 'text-brick' : ''}>{preview.counts[w]}</b> {p.kinds[w].word} ·{' '}
              </span>
            ))}
            {preview.counts.same} unchanged
          </p>
          <div className="max-h-[34vh] overflow-auto">
            <table className="grid-table" aria-label="What each line will do">
              <thead>
                <tr>
                  <th>Line</th>
                  <th>Will be</th>
                  <th>{p.column}</th>
                  <th>What</th>
                </tr>
              </thead>
              <tbody>
                {preview.lines.slice(0, 300).map((l) => (
                  <tr key={l.line}>
                    <td>{l.line}</td>
                    <td className={p.kinds[l.what].tone}>{p.kinds[l.what].word}</td>
                    <td className="mono">{p.subject(l) || '—'}</td>
                    <td className="whitespace-normal">{l.message}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {preview.lines.length + preview.more > 300 && (
            <p className="pt-1 text-ink-2">and {(preview.lines.length + preview.more - 300).toLocaleString('en')} more lines</p>
          )}
          {p.choices?.(preview)}
          {wrong > 0 && (
            <label className="flex items-center gap-2 pt-2">
              <input type="checkbox" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} /> leave out{' '}
              {counted(wrong, 'line that is wrong', 'lines that are wrong')} and take the others
            </label>
          )}
        </>
      )}
      <Refused error={take.error ?? asked.error} />
    </Dialog>
  );
}

/** How each column was understood: its header, its first cell, what it is read as, which can be changed. */
export function Columns({
  preview,
  onChoose,
}: {
  preview: Pick<TablePreview<string>, 'columns'> & { fields?: readonly string[] };
  onChoose: (header: string, field: string) => void;
}) {
  const { columns, fields = [] } = preview;
  return (
    <div className="max-h-[24vh] overflow-auto border-rule border-b">
      <table className="grid-table" aria-label="How each column is read">
        <thead>
          <tr>
            <th>Column</th>
            <th>First cell</th>
            <th>Read as</th>
          </tr>
        </thead>
        <tbody>
          {columns.map((c) => (
            <tr key={c.header}>
              <td className="font-semibold">{c.header || 'without a name'}</td>
              <td className="mono max-w-[260px] truncate" title={c.sample}>
                {c.sample ?? '—'}
              </td>
              <td>
                {fields.length ? (
                  <select
                    aria-label={`Read ${c.header} as`}
                    value={c.field ?? ''}
                    className={`border border-rule-2 bg-leaf px-1.5 py-0.5 ${c.field ? '' : 'text-ochre'}`}
                    onChange={(e) => onChoose(c.header, e.target.value)}
                  >
                    <option value="">not read</option>
                    {fields.map((f) => (
                      <option key={f} value={f}>
                        {f}
                      </option>
                    ))}
                  </select>
                ) : (
                  (c.field ?? <span className="text-ochre">not read</span>)
                )}
                {c.reads && <span className="follows ml-2">↳ {c.reads}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
