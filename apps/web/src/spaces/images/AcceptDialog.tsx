import type { LandingChange } from '@praesidor/core/images';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import type { ShipmentDto } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { Own } from '../../parts/Own.tsx';

const short = (digest: string) => `${digest.slice(0, 15)}…`;
const most = 300;

/** A shipment that nobody who is trusted has signed: all that it would change, and the act of whoever answers for it. */
export function AcceptDialog({ s, onClose }: { s: ShipmentDto; onClose: () => void }) {
  const would = useQuery({
    queryKey: ['would-change', s.label],
    queryFn: () => api<{ unverified: string; changes: LandingChange[] }>('GET', `/api/shipments/${s.label}/would-change`),
  });
  const [typed, setTyped] = useState('');
  const leave = useMay();
  const accept = useCall<object>(
    () => ({ method: 'POST', path: `/api/shipments/${s.label}/accept`, body: { confirm: typed.trim() } }),
    `${s.label} was accepted; it can be landed now.`,
    [['shipments'], ['acts']],
  );
  const changes = would.data?.changes ?? [];
  const n = (what: LandingChange['what']) => changes.filter((c) => c.what === what).length;
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`${s.label} is not verified`}
      about={s.unverified}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={typed.trim() !== s.label || accept.isPending || !leave.may('cases.accept') || !would.data}
            title={leave.why('cases.accept')}
            onClick={() => accept.mutate(undefined, { onSuccess: onClose })}
          >
            Accept {s.label}
          </Button>
        </>
      }
      same={accept.call}
    >
      <p className="pb-2">
        At <b>{s.target}</b> it would add {n('adds')}, replace {n('moves')}, and leave {n('same')} as they are. Accept it only
        when you know who packed it.
      </p>
      <table className="grid-table" aria-label="What it would change">
        <thead>
          <tr>
            <th>Image</th>
            <th>Would be</th>
            <th>Is now</th>
            <th>
              <Own>Bill</Own>
            </th>
          </tr>
        </thead>
        <tbody>
          {changes.slice(0, most).map((c) => (
            <tr key={c.image}>
              <td className="mono">{c.image}</td>
              <td className={c.what === 'moves' ? 'text-brick' : c.what === 'same' ? 'text-ink-3' : ''} title={c.digest}>
                {{ adds: 'new', moves: 'replaced', same: 'the same' }[c.what]} <span className="mono">{short(c.digest)}</span>
              </td>
              <td className="mono text-ink-2" title={c.before}>
                {c.before ? short(c.before) : c.what === 'same' ? 'the same' : '—'}
              </td>
              <td className={c.bill ? 'text-brick' : 'text-ink-3'}>
                {c.bill ? `${c.bill.name} has ${short(c.bill.digest)}` : c.unknown ? 'no bill names it' : 'as the bill says'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {changes.length > most && <p className="pt-1 text-ink-2">and {changes.length - most} more</p>}
      <div className="pt-3">
        <Field label="Type its name" hint={`${s.label}: the record says that you accepted it.`}>
          {(id) => <Input id={id} className="mono" value={typed} onChange={(e) => setTyped(e.target.value)} />}
        </Field>
      </div>
      <Refused error={would.error ?? accept.error} />
    </Dialog>
  );
}
