import type { Installation } from '@praesidor/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { day } from '../../parts/time.ts';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';

/** Whose shipments are taken here without asking: public keys of installations that sign what they pack. */
export function Installations() {
  const list = useQuery({
    queryKey: ['installations', 'trust'],
    queryFn: async () => (await api<{ installations: Installation[] }>('GET', '/api/trust/installations')).installations,
  });
  const leave = useMay();
  const may = leave.may('trust.change');
  const [adding, setAdding] = useState(false);
  const [removing, setRemoving] = useState<Installation>();
  return (
    <section aria-label="Installations whose shipments are trusted">
      <div className="flex items-baseline gap-3 pt-5 pb-1">
        <h2 className="text-lg">Signed shipments</h2>
        <span className="text-ink-2">cases that these installations packed land without being accepted</span>
        <button
          type="button"
          className="ml-auto font-semibold text-verdigris hover:underline disabled:text-ink-3"
          disabled={!may}
          title={leave.why('trust.change')}
          onClick={() => setAdding(true)}
        >
          Trust another installation…
        </button>
      </div>
      <Refused error={list.error} />
      <table className="grid-table" aria-label="Trusted installations">
        <thead>
          <tr>
            <th>Installation</th>
            <th>Fingerprint</th>
            <th>Trusted</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.data?.map((i) => (
            <tr key={i.key}>
              <td className="font-semibold">{i.name}</td>
              <td className="mono" title={i.fingerprint}>
                {i.fingerprint.slice(0, 47)}…
              </td>
              <td className="text-ink-2">{i.own ? 'this one' : `${day(i.addedAt ?? '')} by ${i.addedBy}`}</td>
              <td className="whitespace-nowrap text-right">
                {i.own ? (
                  <Copy text={i.key} className="font-semibold text-verdigris">
                    Copy its public key
                  </Copy>
                ) : (
                  may && (
                    <button type="button" className="text-ink-2 hover:underline" onClick={() => setRemoving(i)}>
                      Remove…
                    </button>
                  )
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {adding && <AddInstallation onClose={() => setAdding(false)} />}
      {removing && <Remove i={removing} onClose={() => setRemoving(undefined)} />}
    </section>
  );
}

/** The key of another installation is trusted. */
export function AddInstallation({ onClose }: { onClose: () => void }) {
  const [i, setI] = useState({ name: '', key: '' });
  const add = useCall<object>(
    () => ({ method: 'POST', path: '/api/trust/installations', body: { name: i.name.trim(), key: i.key.trim() } }),
    `${i.name} is trusted.`,
    [['installations']],
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Trust another installation"
      about="Compare the key with its warden, by telephone or in writing: whoever holds it can put images into your registries."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!i.name.trim() || !i.key.trim() || add.isPending}
            onClick={() => add.mutate(undefined, { onSuccess: onClose })}
          >
            Trust it
          </Button>
        </>
      }
      same={add.call}
    >
      <Field label="Name">
        {(id) => (
          <Input id={id} value={i.name} onChange={(e) => setI({ ...i, name: e.target.value })} placeholder="Briar Wharf" />
        )}
      </Field>
      <Field label="Public key" hint="Copied under Signed shipments over there: 44 characters.">
        {(id) => <Input id={id} className="mono" value={i.key} onChange={(e) => setI({ ...i, key: e.target.value })} />}
      </Field>
      <Refused error={add.error} />
    </Dialog>
  );
}

function Remove({ i, onClose }: { i: Installation; onClose: () => void }) {
  const remove = useCall<object>(
    () => ({ method: 'DELETE', path: `/api/trust/installations/${encodeURIComponent(i.name)}` }),
    `${i.name} is no longer trusted.`,
    [['installations']],
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Stop trusting ${i.name}`}
      about="Cases that it packed must then be accepted one by one. What has landed stays."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={remove.isPending} onClick={() => remove.mutate(undefined, { onSuccess: onClose })}>
            Stop trusting it
          </Button>
        </>
      }
      same={remove.call}
    >
      <p className="mono whitespace-normal">{i.fingerprint}</p>
      <Refused error={remove.error} />
    </Dialog>
  );
}
