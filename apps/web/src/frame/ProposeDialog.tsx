import type { Edit } from '@praesidor/core/model';
import { useState } from 'react';
import { useProposals } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Dialog } from '../parts/Dialog.tsx';
import { Field, Input } from '../parts/Fields.tsx';
import { Refused } from '../parts/Refused.tsx';
import { useCall } from '../state/call.ts';

/** What is put into a proposal: edits, documents in a text, or an act that it takes back. */
export type Proposed =
  | { edits: readonly Edit[]; base?: readonly object[] }
  | { text: string; base?: readonly object[] }
  | { undoes: number };

/** Keeps changes as a proposal that others see: a new one, or one that is open already. */
export default function ProposeDialog({
  title,
  what,
  onDone,
  onClose,
}: {
  /** What the proposal would be called. */
  title: string;
  what: Proposed;
  onDone?: (() => void) | undefined;
  onClose: () => void;
}) {
  const open = useProposals().data?.filter((p) => p.state === 'open') ?? [];
  const [into, setInto] = useState('');
  const [called, setCalled] = useState(title.slice(0, 120));
  const [why, setWhy] = useState('');
  const more = into !== '' && !('undoes' in what);
  const keep = useCall<{ id?: number }>(
    () =>
      more
        ? { method: 'POST', path: `/api/proposals/${into}/changes`, body: what }
        : { method: 'POST', path: '/api/proposals', body: { title: called.trim(), why: why.trim(), ...what } },
    (r) => `Kept as proposal ${r.id ?? into}: Estate, Proposals.`,
    [['proposals'], ['estate', 'proposal']],
  );
  const short = !more && called.trim().length < 3;
  return (
    <Dialog
      open
      onClose={onClose}
      title="Keep as a proposal"
      about="Nothing is changed yet. Others see it, comment on it, and approve it where that is asked for."
      same={keep.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={short || keep.isPending}
            onClick={() =>
              keep.mutate(undefined, {
                onSuccess: () => {
                  onDone?.();
                  onClose();
                },
              })
            }
          >
            {more ? `Put into proposal ${into}` : 'Keep as a proposal'}
          </Button>
        </>
      }
    >
      {open.length > 0 && !('undoes' in what) && (
        <Field label="Proposal">
          {(id) => (
            <select
              id={id}
              className="w-full border border-rule-2 bg-leaf px-2 py-1"
              value={into}
              onChange={(e) => setInto(e.target.value)}
            >
              <option value="">a new one</option>
              {open.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.id}: {p.title}, by {p.by}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {!more && (
        <>
          <Field label="Title" wrong={called && short ? 'at least 3 characters' : undefined}>
            {(id) => <Input id={id} autoFocus value={called} maxLength={120} onChange={(e) => setCalled(e.target.value)} />}
          </Field>
          <Field label="Reason" hint="Why it is to be done: for whoever reads it.">
            {(id) => <Input id={id} value={why} maxLength={1000} onChange={(e) => setWhy(e.target.value)} />}
          </Field>
        </>
      )}
      <Refused error={keep.error} />
    </Dialog>
  );
}
