import type { RestoreBegun, VolumeBackup } from '@praesidor/contract';
import { volumesAsked } from '@praesidor/core/backup';
import { bytesText } from '@praesidor/core/words';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { scoped, useScope } from '../../state/scope.ts';

/** Where a backup is given back to: in the place of a volume, whose name is typed, or to a claim that is made for it. */
export function RestoreDialog({ name, backup, onClose }: { name: string; backup: VolumeBackup; onClose: () => void }) {
  const { site } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const serving = new Set((estate?.hosts ?? []).flatMap((h) => (h.state === 'serving' && h.held ? [h.held.charter] : [])));
  const clusters = (estate?.charters ?? []).filter((c) => c.name === name || serving.has(c.name));
  const [cluster, setCluster] = useState(name);
  const [fresh, setFresh] = useState(false);
  const charter = clusters.find((c) => c.name === cluster);
  const volumes = charter ? volumesAsked(charter) : [];
  const [asked, setAsked] = useState(backup.volume);
  const volume = volumes.some((v) => v.name === asked) ? asked : (volumes[0]?.name ?? '');
  const own = volumes.find((v) => v.name === volume);
  const [typed, setTyped] = useState('');
  const [namespace, setNamespace] = useState(own?.namespace ?? 'default');
  const [claim, setClaim] = useState(`${backup.volume.replace('/', '-')}-${backup.at.toString().slice(0, 10)}`);
  const act = useCall<RestoreBegun>(
    () => ({
      method: 'POST',
      path: `/api/charters/${name}/backups/${backup.id}/restore`,
      body: {
        ...(cluster === name ? {} : { cluster }),
        ...(fresh ? { claim: { namespace, name: claim } } : { volume, replace: typed.trim() }),
      },
    }),
    '',
    [['backups', cluster]],
  );
  const ready = fresh ? namespace !== '' && claim !== '' : volume !== '' && typed.trim() === volume;
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Restore ${backup.volume}`}
      about={
        <>
          {name}, <When at={backup.at} />, {bytesText(backup.bytes)}. The backup is read whole first: a damaged one changes
          nothing.
        </>
      }
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!ready || act.isPending}
            onClick={() =>
              act.mutate(undefined, {
                onSuccess: () => {
                  onClose();
                  if (cluster !== name) void navigate(scoped(`/clusters/${cluster}?tab=volumes`, site));
                },
              })
            }
          >
            Restore
          </Button>
        </>
      }
      same={act.call}
    >
      <Field label="Cluster">
        {(id) => (
          <select
            id={id}
            value={cluster}
            onChange={(e) => {
              setCluster(e.target.value);
              setTyped('');
            }}
            className="w-full border border-rule-2 bg-leaf px-2 py-1"
          >
            {clusters.map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
          </select>
        )}
      </Field>
      <fieldset className="mb-2.5 flex gap-5">
        <legend className="sr-only">To</legend>
        {(
          [
            [false, 'In place of a volume'],
            [true, 'To a new claim'],
          ] as const
        ).map(([is, label]) => (
          <label key={label} className="flex items-center gap-2">
            <input type="radio" name="to" checked={fresh === is} onChange={() => setFresh(is)} />
            {label}
          </label>
        ))}
      </fieldset>
      {fresh ? (
        <>
          <Field label="Namespace">
            {(id) => <Input id={id} value={namespace} onChange={(e) => setNamespace(e.target.value)} className="mono" />}
          </Field>
          <Field label="Claim" hint="Of the size and the storage class of the volume.">
            {(id) => <Input id={id} value={claim} onChange={(e) => setClaim(e.target.value)} className="mono" />}
          </Field>
        </>
      ) : volumes.length ? (
        <>
          <Field label="Volume" hint={`What it has now is lost. ${own?.workload} ends before, and is started again afterwards.`}>
            {(id) => (
              <select
                id={id}
                value={volume}
                onChange={(e) => setAsked(e.target.value)}
                className="w-full border border-rule-2 bg-leaf px-2 py-1"
              >
                {volumes.map((v) => (
                  <option key={v.name}>{v.name}</option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Type its name" hint={<span className="mono">{volume}</span>}>
            {(id) => <Input id={id} value={typed} onChange={(e) => setTyped(e.target.value)} className="mono" />}
          </Field>
        </>
      ) : (
        <p className="text-ink-2">No workload of {cluster} has a volume.</p>
      )}
      <Refused error={act.error} />
    </Dialog>
  );
}
