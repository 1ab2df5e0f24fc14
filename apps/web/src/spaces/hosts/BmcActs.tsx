import type { Host } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Call } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { FirstStart } from './FirstStart.tsx';
import { useBeginWork } from './works.ts';

const sources = {
  None: 'its own order',
  UefiHttp: 'an address (HTTP)',
  Pxe: 'the network (PXE)',
  Cd: 'virtual media',
  Hdd: 'its disk',
  BiosSetup: 'firmware settings',
};

/** Power, boot source, virtual media, the light: what a controller does for its machine. */
export function BmcActs({ host }: { host: Host }) {
  const work = useBeginWork();
  const [doing, setDoing] = useState<'boot' | 'media'>();
  const tell = useCall<object, object>(
    (v: object) => ({ method: 'POST', path: `/api/hosts/${host.name}/bmc`, body: v }),
    `${host.name}: done.`,
    [
      ['host', host.name],
      ['log', host.name],
    ],
  );
  const [light, setLight] = useState(false);
  const power = (to: string) => work.mutate({ kind: 'power', hosts: [host.name], asked: { to } });
  if (!host.bmc) return <p className="text-ink-2">No controller is declared; it is started by hand.</p>;
  const pinned = host.bmc.fingerprint;
  const busy = !pinned || work.isPending || tell.isPending;
  return (
    <>
      <div className="pb-2">
        <Copy text={host.bmc.address} className="mono" /> <span className="text-ink-2">with {host.bmc.credential}</span>
        <div className="text-ink-2">
          {pinned ? (
            <>
              pinned{' '}
              <Copy text={pinned} className="mono">
                {pinned.slice(0, 17)}…{pinned.slice(-8)}
              </Copy>
            </>
          ) : (
            'its certificate has not been accepted: sweep its network, then compare and accept it'
          )}
        </div>
      </div>
      <FirstStart host={host} />
      <div className="flex flex-wrap gap-2">
        {host.facts?.power === 'On' ? (
          <>
            <Button disabled={busy} onClick={() => power('off')}>
              Shut down
            </Button>
            <Button disabled={busy} onClick={() => power('restart')}>
              Restart
            </Button>
          </>
        ) : (
          <Button disabled={busy} onClick={() => power('on')}>
            Power on
          </Button>
        )}
        <Button disabled={busy} onClick={() => setDoing('boot')}>
          Boot once from…
        </Button>
        <Button disabled={busy} onClick={() => setDoing('media')}>
          Virtual media…
        </Button>
        <Button
          disabled={busy}
          aria-pressed={light}
          onClick={() => tell.mutate({ act: 'light', on: !light }, { onSuccess: () => setLight(!light) })}
        >
          {light ? 'Light off' : 'Light on'}
        </Button>
      </div>
      <Refused error={tell.error} />
      {doing && <AskDialog what={doing} onClose={() => setDoing(undefined)} onTell={(v) => tell.mutate(v)} call={tell.call} />}
    </>
  );
}

function AskDialog({
  what,
  onTell,
  call,
  onClose,
}: {
  what: 'boot' | 'media';
  onTell: (v: object) => void;
  call: (v: object) => Call;
  onClose: () => void;
}) {
  const [from, setFrom] = useState<keyof typeof sources>('UefiHttp');
  const [uri, setUri] = useState('');
  const wants = what === 'media' || from === 'UefiHttp';
  const bad = wants && uri !== '' && !/^https?:\/\/\S+$/.test(uri) ? 'an address that begins with https://' : undefined;
  const asked = what === 'boot' ? { act: 'boot', from, ...(from === 'UefiHttp' ? { uri } : {}) } : { act: 'media', image: uri };
  const done = (v: object) => {
    onTell(v);
    onClose();
  };
  return (
    <Dialog
      open
      onClose={onClose}
      title={what === 'boot' ? 'Boot once from' : 'Virtual media'}
      about={what === 'boot' ? 'At its next start, and only then.' : 'The controller plays the image to the machine as a drive.'}
      same={() => call(asked)}
      acts={
        <>
          {what === 'media' && <Button onClick={() => done({ act: 'media' })}>Eject the image</Button>}
          <Button filled disabled={!!bad || (wants && !uri)} onClick={() => done(asked)}>
            {what === 'boot' ? 'Set' : 'Insert'}
          </Button>
        </>
      }
    >
      {what === 'boot' && (
        <Field label="From">
          {(id) => (
            <select
              id={id}
              value={from}
              onChange={(e) => setFrom(e.target.value as typeof from)}
              className="w-full border border-rule-2 bg-leaf px-2 py-1"
            >
              {Object.entries(sources).map(([k, v]) => (
                <option key={k} value={k}>
                  {v}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {wants && (
        <Field label={what === 'boot' ? 'Address' : 'Image'} wrong={bad}>
          {(id) => (
            <Input
              id={id}
              value={uri}
              onChange={(e) => setUri(e.target.value)}
              className="mono"
              placeholder="https://files.kestrelferries.example/rescue.iso"
            />
          )}
        </Field>
      )}
    </Dialog>
  );
}

/** What the controller wrote down, newest first. Asked for when it is wanted: controllers are slow. */
export function EventLog({ name }: { name: string }) {
  const [on, setOn] = useState(false);
  const log = useQuery({
    queryKey: ['log', name],
    enabled: on,
    retry: false,
    queryFn: () =>
      api<{ entries: { at: string; severity: string; text: string }[]; media: { name: string; image?: string }[] }>(
        'GET',
        `/api/hosts/${name}/log`,
      ),
  });
  if (!on) return <Button onClick={() => setOn(true)}>Read it</Button>;
  return (
    <>
      <Refused error={log.error} />
      {log.data?.media.map((m) => (
        <div key={m.name} className="text-ink-2">
          {m.name}: {m.image ?? 'empty'}
        </div>
      ))}
      {log.data?.entries.slice(0, 20).map((e, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a log may hold the same line twice
        <div key={i} className="py-0.5">
          <span className="text-ink-2">{e.at && <When at={e.at} as="both" />}</span>{' '}
          <span className={e.severity === 'OK' ? '' : 'font-semibold text-brick'}>{e.text}</span>
        </div>
      ))}
      {log.data && !log.data.entries.length && <p className="text-ink-2">It is empty.</p>}
    </>
  );
}
