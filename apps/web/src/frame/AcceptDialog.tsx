import type { Finding } from '@praesidor/core/checks';
import { useState } from 'react';
import { Button } from '../parts/Button.tsx';
import { Dialog } from '../parts/Dialog.tsx';
import { Field, Input } from '../parts/Fields.tsx';
import { useCall } from '../state/call.ts';

/** Three months: long enough to be rid of it, and short enough to look again. */
const usualDays = 90;
const inDays = (n: number) => new Date(Date.now() + n * 86_400_000).toISOString().slice(0, 10);

/** A finding that somebody lives with: why, and until when. */
export default function AcceptDialog({ finding: f, onClose }: { finding: Finding; onClose: () => void }) {
  const [reason, setReason] = useState('');
  const [until, setUntil] = useState(inDays(usualDays));
  const accept = useCall<object>(
    () => ({ method: 'POST', path: '/api/findings/accept', body: { finding: f.id, reason, until: `${until}T00:00:00Z` } }),
    `${f.code} is accepted until then.`,
    [['estate'], ['acts']],
  );
  const ready = reason.trim().length >= 3 && until > inDays(0) && until <= inDays(399);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Accept “${f.title}”`}
      about="It stands folded below the others, with your name, and comes back when its figures change or the day has passed."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!ready || accept.isPending}
            title={ready ? undefined : 'It needs a reason, and a day within the next 400'}
            onClick={() => accept.mutate(undefined, { onSuccess: onClose })}
          >
            Accept
          </Button>
        </>
      }
      same={accept.call}
    >
      <p className="pb-3">{f.text}</p>
      <Field label="Reason">
        {(id) => (
          <Input
            id={id}
            autoFocus
            value={reason}
            maxLength={400}
            onChange={(e) => setReason(e.target.value)}
            placeholder="why it may stay so"
          />
        )}
      </Field>
      <Field label="Until" hint="Then it is to be looked at again.">
        {(id) => (
          <Input id={id} type="date" min={inDays(1)} max={inDays(399)} value={until} onChange={(e) => setUntil(e.target.value)} />
        )}
      </Field>
    </Dialog>
  );
}
