import { formatIp, formatRange, parsePrefix, parseRange, prefixRange, size } from '@praesidor/core/address';
import type { Estate } from '@praesidor/core/model';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

const usable = (prefix: string) => {
  const r = prefixRange(parsePrefix(prefix));
  return formatRange({ v: r.v, first: r.first + 1n, last: r.last - 1n });
};

export function SweepDialog({
  estate,
  site,
  range,
  onClose,
}: {
  estate: Estate;
  site: string;
  range: string | undefined;
  onClose: () => void;
}) {
  const [at, setAt] = useState(site || (estate.sites[0]?.name ?? ''));
  const management = (s: string) => estate.networks.find((n) => n.site === s && n.purpose === 'management');
  const [typed, setTyped] = useState<string | undefined>(range);
  const value = typed ?? (management(at) ? usable(management(at)?.prefix ?? '') : '');
  let count = '';
  let wrong: string | undefined;
  try {
    const r = parseRange(value);
    count = `${size(r)} addresses, ${formatIp({ v: r.v, n: r.first })} to ${formatIp({ v: r.v, n: r.last })}`;
  } catch (e) {
    wrong = value ? (e as Error).message : undefined;
  }
  const start = useCall<object>(
    () => ({ method: 'POST', path: '/api/hosts/sweep', body: { site: at, range: value } }),
    'Sweeping; what answers appears as it is found.',
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Sweep for hosts"
      about="Every address is asked for a management controller over Redfish. Nothing is sent to one before you accept its certificate."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={start.isPending || !!wrong || !value}
            onClick={() => start.mutate(undefined, { onSuccess: onClose })}
          >
            Sweep
          </Button>
        </>
      }
      same={start.call}
    >
      <Field label="Site">
        {(id) => (
          <select
            id={id}
            value={at}
            onChange={(e) => {
              setAt(e.target.value);
              setTyped(undefined);
            }}
            className="w-full border border-rule-2 bg-leaf px-2 py-1"
          >
            {estate.sites.map((s) => (
              <option key={s.name} value={s.name}>
                {s.title}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field
        label="Range"
        wrong={wrong}
        hint={`${count}${management(at) && typed === undefined ? `; follows from ${management(at)?.name}` : ''}`}
      >
        {(id) => <Input id={id} value={value} onChange={(e) => setTyped(e.target.value)} className="mono" />}
      </Field>
      <Refused error={start.error} />
    </Dialog>
  );
}
