import type { Prerequisite } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { usePrerequisites } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';

const order = (p: Prerequisite) => (p.state === 'bad' ? 0 : p.state ? 2 : 1);

/** What a build needs: measured, each with when and how; and confirmed by name where nothing can measure it. */
export default function PrerequisitesTab({ name }: { name: string }) {
  const list = usePrerequisites(name);
  const may = useMay();
  const [asked, setAsked] = useState<Prerequisite>();
  const measure = useCall<object>(() => ({ method: 'POST', path: `/api/charters/${name}/prerequisites/measure` }), 'Measured.', [
    ['prerequisites', name],
  ]);
  const all = [...(list.data ?? [])].sort((a, b) => order(a) - order(b));
  const bad = all.filter((p) => p.state === 'bad');
  const open = all.filter((p) => !p.state);
  if (list.error) return <p className="pt-4 text-brick">{list.error.message}</p>;
  return (
    <>
      <div className="flex items-baseline gap-4 pt-3 pb-1">
        <span className={bad.length ? 'font-semibold text-brick' : 'text-ink-2'}>
          {bad.length ? `${counted(bad.length, 'requirement')} not met` : open.length ? '' : 'Every requirement is met'}
          {open.length > 0 && `${bad.length ? '; ' : ''}${open.length} of ${all.length} not looked at yet`}
        </span>
        <span className="ml-auto">
          <Button
            filled={open.length > 0 || bad.length > 0}
            disabled={measure.isPending || !may.may('builds.run')}
            title={may.why('builds.run')}
            onClick={() => measure.mutate()}
          >
            {measure.isPending ? 'Measuring…' : 'Measure now'}
          </Button>
        </span>
      </div>
      <Refused error={measure.error} />
      <table className="grid-table" aria-label="Requirements of a build">
        <thead>
          <tr>
            <th>Requirement</th>
            <th>Found</th>
            <th>How</th>
            <th>When</th>
          </tr>
        </thead>
        <tbody>
          {all.map((p) => (
            <tr key={p.id} data-row tabIndex={-1}>
              <td className="whitespace-normal!">
                <span className="flex items-baseline gap-2">
                  <Mark
                    kind={p.state === 'bad' ? 'failing' : p.state === 'good' ? 'done' : p.state === 'confirmed' ? 'half' : 'free'}
                  />
                  <span className={p.state === 'bad' ? 'font-semibold' : ''}>{p.what}</span>
                </span>
              </td>
              <td className={`whitespace-normal! ${p.state === 'bad' ? 'text-brick' : ''}`}>
                {p.state === 'confirmed'
                  ? `confirmed by ${p.by}: ${p.said}`
                  : (p.said ??
                    (p.measured ? (
                      <span className="text-ink-3">{bad.length ? 'measured when the rest is good' : 'not measured yet'}</span>
                    ) : (
                      ''
                    )))}
                {!p.measured && may.may('builds.run') && (
                  <button type="button" className="ml-2 font-semibold text-verdigris hover:underline" onClick={() => setAsked(p)}>
                    {p.state ? 'Confirm again…' : 'Confirm…'}
                  </button>
                )}
              </td>
              <td className="whitespace-normal! text-ink-2">{p.how}</td>
              <td className="text-ink-2">{p.at && <When at={p.at} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {asked && <Confirm name={name} of={asked} onClose={() => setAsked(undefined)} />}
    </>
  );
}

function Confirm({ name, of, onClose }: { name: string; of: Prerequisite; onClose: () => void }) {
  const [note, setNote] = useState('');
  const act = useCall<object>(() => ({
    method: 'POST',
    path: `/api/charters/${name}/prerequisites/confirm`,
    body: { id: of.id, note },
  }), () => {
    onClose();
    return 'Confirmed, in your name.';
  }, [['prerequisites', name]]);
  return (
    <Dialog
      open
      onClose={onClose}
      title="Confirm a requirement"
      about={of.what}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={note.trim().length < 3 || act.isPending} onClick={() => act.mutate()}>
            Confirm
          </Button>
        </>
      }
      same={act.call}
    >
      <p className="pb-2 text-ink-2">It is kept in the record with your name and the time. {of.how}.</p>
      <Field label="How you know" wrong={act.error?.message}>
        {(id) => <Input id={id} autoFocus value={note} onChange={(e) => setNote(e.target.value)} />}
      </Field>
    </Dialog>
  );
}
