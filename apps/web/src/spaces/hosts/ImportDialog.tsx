import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useAct } from '../../state/act.ts';

interface Preview {
  lines: { line: number; what: 'new' | 'changed' | 'double' | 'wrong'; name: string; message: string }[];
  columns: { header: string; field?: string }[];
  fault?: { line: number; message: string };
  counts: Record<'new' | 'changed' | 'same' | 'double' | 'wrong', number>;
  more: number;
}
const tone = { new: 'text-verdigris', changed: 'text-ochre', double: 'text-plum', wrong: 'text-brick' };
const called = { new: 'new', changed: 'changed', double: 'known already', wrong: 'wrong' };

/** A table of machines: what each line will do is shown first; a machine we have under another name is left out or merged, by choice. */
export function ImportDialog({ site, onClose }: { site: string; onClose: () => void }) {
  const [text, setText] = useState('');
  const [leaveOut, setLeaveOut] = useState(false);
  const [merge, setMerge] = useState(false);
  const scope = site ? { site } : {};
  const revision = useSnapshot().data?.revision;
  const preview = useQuery({
    queryKey: ['preview-hosts', text, site],
    enabled: text.trim().length > 0,
    gcTime: 1000,
    retry: false,
    placeholderData: (old) => old,
    queryFn: () => api<Preview>('POST', '/api/hosts/preview', { text, ...scope }),
  });
  const take = useAct(
    () =>
      api<{ taken: number; act?: number }>('POST', '/api/hosts/import', {
        text,
        leaveOut,
        doubles: merge ? 'merge' : 'skip',
        revision,
        ...scope,
      }),
    (r) => `${r.taken} hosts taken.`,
  );
  const p = text.trim() ? preview.data : undefined;
  const n = p ? p.counts.new + p.counts.changed + (merge ? p.counts.double : 0) : 0;
  const unread = p?.columns.filter((c) => !c.field).map((c) => c.header);
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title="Import hosts"
      about="A table with a line of headers: name, site, rack, unit, BMC address, serial, cores, memory, disks, MACs. What was read over a controller is not overwritten by what was typed."
      acts={
        <>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            filled
            disabled={!p || p.fault !== undefined || n === 0 || (p.counts.wrong > 0 && !leaveOut) || take.isPending}
            onClick={() => take.mutate(undefined, { onSuccess: onClose })}
          >
            {n ? `Take ${n.toLocaleString('en')} ${n === 1 ? 'line' : 'lines'}` : 'Nothing to take'}
          </Button>
        </>
      }
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
        placeholder={
          'name,rack,unit,bmc address,serial,cores,memory,disks,macs\nbw-15,R2,32,10.40.7.25,HW40015B,32,128 GiB,480 1920,52:8a:1c:10:0f:01'
        }
      />
      {p?.fault && (
        <p className="border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">
          Line {p.fault.line}: {p.fault.message}
        </p>
      )}
      {p && !p.fault && (
        <>
          <p className="py-1.5">
            <b>{p.counts.new}</b> new · <b>{p.counts.changed}</b> changed · <b>{p.counts.double}</b> known already ·{' '}
            {p.counts.same} as they stand · <b className={p.counts.wrong ? 'text-brick' : ''}>{p.counts.wrong}</b> wrong
            {unread?.length ? <span className="text-ink-2"> · not read: {unread.join(', ')}</span> : null}
          </p>
          <div className="max-h-[34vh] overflow-auto">
            <table className="grid-table" aria-label="What each line will do">
              <thead>
                <tr>
                  <th>Line</th>
                  <th>Will be</th>
                  <th>Host</th>
                  <th>What</th>
                </tr>
              </thead>
              <tbody>
                {p.lines.slice(0, 300).map((l) => (
                  <tr key={l.line}>
                    <td>{l.line}</td>
                    <td className={tone[l.what]}>{l.what === 'double' && merge ? 'merged' : called[l.what]}</td>
                    <td className="mono">{l.name || '—'}</td>
                    <td className="whitespace-normal">{l.message}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {p.lines.length + p.more > 300 && (
            <p className="pt-1 text-ink-2">and {(p.lines.length + p.more - 300).toLocaleString('en')} more lines</p>
          )}
          {p.counts.double > 0 && (
            <label className="flex items-center gap-2 pt-2">
              <input type="checkbox" checked={merge} onChange={(e) => setMerge(e.target.checked)} /> merge the {p.counts.double}{' '}
              that we have under another name into those entries; otherwise they are left out
            </label>
          )}
          {p.counts.wrong > 0 && (
            <label className="flex items-center gap-2 pt-2">
              <input type="checkbox" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} /> leave out the{' '}
              {p.counts.wrong} that are wrong and take the others
            </label>
          )}
        </>
      )}
      <Refused error={take.error ?? preview.error} />
    </Dialog>
  );
}
