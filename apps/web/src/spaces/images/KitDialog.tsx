import type { RegistryKit } from '@praesidor/contract';
import { bytesText } from '@praesidor/core/words';
import type { Registry } from '@praesidor/core/model';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';

const parts = [
  ['cert', 'Certificate'],
  ['key', 'Key'],
  ['ca', 'Trust bundle'],
] as const;

/** The kit that installs a registry on a machine without internet: made, its passwords shown once, taken once. */
export function KitDialog({ registry, onClose }: { registry: Registry; onClose: () => void }) {
  const [days, setDays] = useState('397');
  const [given, setGiven] = useState<Partial<Record<'cert' | 'key' | 'ca', string>>>();
  const make = useCall<RegistryKit>(
    () => ({
      method: 'POST',
      path: `/api/registries/${registry.name}/kit`,
      body: {
        days: Number(days) || 397,
        ...(given?.cert && given.key && given.ca ? { given } : {}),
      },
    }),
    () => undefined,
  );
  const m = make.data;
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Kit of ${registry.name}`}
      about="One archive for a Linux machine without internet and without a container runtime: server, Node.js, service, certificate, first users."
      acts={
        m ? (
          <Button onClick={onClose}>Done</Button>
        ) : (
          <>
            <Button onClick={onClose}>Cancel</Button>
            <Button
              filled
              disabled={make.isPending || (given && !(given.cert && given.key && given.ca))}
              onClick={() => make.mutate()}
            >
              {make.isPending ? 'making it…' : 'Make the kit'}
            </Button>
          </>
        )
      }
      same={make.call}
    >
      {m ? (
        <>
          <p className="pb-2">
            {m.keeps ? (
              <>
                <b>{m.keeps}</b> keeps the password that the keyring has. This one is shown now and never again.
              </>
            ) : (
              <>
                These passwords are shown now and never again; that of <b>keeper</b> is in the keyring as{' '}
                {registry.credential ?? registry.name}.
              </>
            )}
          </p>
          {m.credentials.map((c) => (
            <div key={c.user} className="grid grid-cols-[90px_1fr_120px] border-rule border-b py-1.5">
              <b>{c.user}</b>
              <Copy text={c.password} className="mono" />
              <span className="text-ink-2">{c.writes ? 'reads and writes' : 'reads'}</span>
            </div>
          ))}
          <p className="pt-3">
            <a className="font-semibold text-verdigris hover:underline" href={`/api/kits/${m.id}`}>
              Take the archive, {bytesText(m.bytes)}
            </a>{' '}
            <span className="text-ink-2">
              — once, within the hour. Its certificate is valid until <When at={m.until} as="day" />.
            </span>
          </p>
          <p className="pt-1 text-ink-2">
            SHA-256 <Copy text={m.sha256} className="mono break-all" />
          </p>
          <p className="pt-2">
            Unpack it there, then as root <Copy text="./install.sh" className="mono" />; it is proved with{' '}
            <Copy text="/opt/praesidor-registry/prove.sh keeper" className="mono" />.
          </p>
        </>
      ) : (
        <>
          <fieldset className="mb-2.5 grid grid-cols-[130px_1fr] gap-3">
            <legend className="float-left text-ink-2">Certificate</legend>
            <div className="col-start-2 flex flex-col">
              <label className="flex items-center gap-1.5">
                <input type="radio" name="from" checked={!given} onChange={() => setGiven(undefined)} />
                issued by a new CA of its own, which its clusters then trust
              </label>
              <label className="flex items-center gap-1.5">
                <input type="radio" name="from" checked={!!given} onChange={() => setGiven({})} />
                issued elsewhere; checked before it is used
              </label>
            </div>
          </fieldset>
          {given ? (
            parts.map(([key, label]) => (
              <Field key={key} label={label}>
                {() => (
                  <span className="flex items-center gap-3">
                    <FilePicker accept=".pem,.crt,.key" onText={(text) => setGiven((g) => ({ ...g, [key]: text }))} />
                    <span className="text-ink-2">{given[key] ? `${given[key]?.length} characters` : 'PEM'}</span>
                  </span>
                )}
              </Field>
            ))
          ) : (
            <Field label="Valid for" hint="days; the authority itself lasts ten years">
              {(id) => <Input id={id} type="number" min={1} max={3650} value={days} onChange={(e) => setDays(e.target.value)} />}
            </Field>
          )}
          <Refused error={make.error} />
        </>
      )}
    </Dialog>
  );
}
