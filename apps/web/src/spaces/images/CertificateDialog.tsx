import type { CertificateMade } from '@praesidor/contract';
import type { Trust } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import type { Estate, Registry } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { day } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

type Signer = 'held' | 'new' | 'brought' | 'asked' | 'elsewhere';
type Given = Partial<Record<'cert' | 'key', string>>;

/** Another certificate for a registry: who signs it, who must trust that first, and how it gets there. */
export function CertificateDialog({
  registry,
  estate,
  warden,
  onClose,
}: {
  registry: Registry;
  estate: Estate;
  /** Others see how it stands. */
  warden: boolean;
  onClose: () => void;
}) {
  const { name } = registry;
  const seen = estate.observed.registries[name]?.certificate;
  const trust = useQuery({ queryKey: ['trust', name], queryFn: () => api<Trust>('GET', `/api/registries/${name}/trust`) });
  const [chosen, setChosen] = useState<Signer>();
  const [given, setGiven] = useState<Given>({});
  const [answer, setAnswer] = useState('');
  const [days, setDays] = useState('397');
  const [files, setFiles] = useState(false);
  const [confirmed, setConfirmed] = useState<string[]>([]);
  const [tidying, setTidying] = useState(false);
  const t = trust.data;
  const signer = chosen ?? (t?.authority ? 'held' : 'new');
  const pair = given.cert && given.key ? { cert: given.cert, key: given.key } : undefined;
  const renew = [['trust'], ['estate'], ['acts']];
  const anchor = useCall<{ subject: string; act: number }>(
    () => ({
      method: 'POST',
      path: `/api/registries/${name}/authority`,
      body: signer === 'brought' ? { given: pair } : signer === 'held' ? { held: true } : {},
    }),
    (r) => `${r.subject} is trusted beside what was trusted before.`,
    renew,
  );
  const make = useCall<CertificateMade>(
    () => ({
      method: 'POST',
      path: `/api/registries/${name}/certificate`,
      body: {
        days: Number(days) || 397,
        files,
        confirmed,
        ...(signer === 'elsewhere' ? { given: pair } : signer === 'asked' ? { answer } : {}),
      },
    }),
    (r) => (r.files ? undefined : `The new certificate of ${name} is installed, valid until ${day(r.until)}.`),
    renew,
  );
  const request = useCall<{ request: string }>(
    () => ({ method: 'POST', path: `/api/registries/${name}/request` }),
    `The request of ${name} is made: have it signed, and bring the answer.`,
    renew,
  );
  // What has to be trusted first: an authority that does not stand in the bundle yet.
  const first = signer === 'new' || signer === 'brought' || (signer === 'held' && t?.authority?.trusted === false);
  const needsPair = signer === 'brought' || signer === 'elsewhere';
  const without = (t?.clusters ?? []).filter((c) => c.has !== true);
  const old = t?.anchors.filter((a) => !a.needed) ?? [];
  const days9 = seen ? Math.ceil((Date.parse(seen.notAfter) - Date.parse(estate.now)) / 86_400_000) : 0;
  const made = make.data;
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Certificate of ${name}`}
      same={make.call}
      about={
        seen
          ? `${registry.endpoint} shows one that ${seen.issuer} signed, until ${day(seen.notAfter)}${days9 < 60 ? `, in ${days9} days` : ''}.`
          : `What ${registry.endpoint} shows was not seen yet.`
      }
      acts={
        <>
          <Button onClick={onClose}>{made ? 'Done' : 'Cancel'}</Button>
          {warden &&
            !made &&
            (first ? (
              <Button
                filled
                disabled={!t || anchor.isPending || (signer === 'brought' && !pair)}
                onClick={() =>
                  anchor.mutate(undefined, {
                    onSuccess: () => {
                      setChosen('held');
                      setGiven({});
                    },
                  })
                }
              >
                Trust this authority
              </Button>
            ) : (
              <Button
                filled
                disabled={!t || make.isPending || (needsPair && !pair) || (signer === 'asked' && !answer)}
                onClick={() => make.mutate()}
              >
                {make.isPending ? 'installing…' : files ? 'Make the files' : 'Install the certificate'}
              </Button>
            ))}
        </>
      }
    >
      {!warden && <p className="pb-1 text-ink-2">Only a warden can issue certificates of registries.</p>}
      {warden && !made && (
        <>
          <Choice legend="Signed by">
            {t?.authority && (
              <Radio name="signer" on={signer === 'held'} set={() => setChosen('held')}>
                {t.authority.subject}, {t.authority.origin === 'made' ? 'made' : 'kept'} here, until{' '}
                <When at={t.authority.until} as="day" />
              </Radio>
            )}
            <Radio name="signer" on={signer === 'new'} set={() => setChosen('new')}>
              {t?.authority ? 'another authority' : 'an authority'}, made here for ten years
            </Radio>
            <Radio name="signer" on={signer === 'brought'} set={() => setChosen('brought')}>
              an authority of yours, with its key
            </Radio>
            <Radio name="signer" on={signer === 'asked'} set={() => setChosen('asked')}>
              an authority elsewhere, from a request made here; the key stays here
            </Radio>
            <Radio name="signer" on={signer === 'elsewhere'} set={() => setChosen('elsewhere')}>
              an authority elsewhere, with a key that was made there too
            </Radio>
          </Choice>
          {needsPair &&
            (['cert', 'key'] as const).map((key) => (
              <Field key={key} label={key === 'cert' ? 'Certificate' : 'Its key'}>
                {() => (
                  <span className="flex items-center gap-3">
                    <FilePicker accept=".pem,.crt,.key" onText={(text) => setGiven((g) => ({ ...g, [key]: text }))} />
                    <span className="text-ink-2">{given[key] ? `${given[key]?.length} characters` : 'PEM, no passphrase'}</span>
                  </span>
                )}
              </Field>
            ))}
          {signer === 'asked' && (
            <>
              <Field label="Request">
                {() => (
                  <span className="flex flex-wrap items-baseline gap-x-3">
                    <Button disabled={request.isPending} onClick={() => request.mutate()}>
                      {t?.request ? 'Make another' : 'Make the request'}
                    </Button>
                    {t?.request && (
                      <>
                        <a
                          className="font-semibold text-verdigris hover:underline"
                          download={`${name}.csr`}
                          href={`data:application/pkcs10;charset=utf-8,${encodeURIComponent(t.request.request)}`}
                        >
                          Download {name}.csr
                        </a>
                        <span className="text-ink-2">
                          waits since <When at={t.request.at} as="day" />, made by {t.request.by}
                        </span>
                      </>
                    )}
                  </span>
                )}
              </Field>
              {t?.request && (
                <Field label="Answer" hint="what the authority signed, with its chain if there is one: PEM">
                  {() => (
                    <span className="flex items-center gap-3">
                      <FilePicker accept=".pem,.crt,.cer" onText={setAnswer} />
                      <span className="text-ink-2">{answer ? `${answer.length} characters` : ''}</span>
                    </span>
                  )}
                </Field>
              )}
              <Refused error={request.error} />
            </>
          )}
          {!first && (
            <>
              {signer === 'held' && (
                <Field label="Valid for" hint="days; from here it is renewed by itself, thirty days before its end">
                  {(id) => (
                    <Input id={id} type="number" min={1} max={3650} value={days} onChange={(e) => setDays(e.target.value)} />
                  )}
                </Field>
              )}
              <Choice legend="Delivery">
                <Radio name="way" on={!files} set={() => setFiles(false)}>
                  over the network, on a connection that the old one protects
                </Radio>
                <Radio name="way" on={files} set={() => setFiles(true)}>
                  as files, installed on its machine by hand
                </Radio>
              </Choice>
            </>
          )}
        </>
      )}
      <h3 className="pt-2 pb-1 text-[14px]">In this order</h3>
      <ol aria-label="In this order">
        <Line done={!first && !away(signer)} text={trustText(t, signer, first)} />
        {without.map((c) => (
          <Line
            key={c.charter}
            done={confirmed.includes(c.charter)}
            waits
            text={
              <label>
                <input
                  type="checkbox"
                  className="mr-1.5"
                  checked={confirmed.includes(c.charter)}
                  onChange={(e) =>
                    setConfirmed(e.target.checked ? [...confirmed, c.charter] : confirmed.filter((x) => x !== c.charter))
                  }
                />
                mirror-ca.crt was carried to the {counted(c.hosts, 'host')} of <b>{c.charter}</b>
                <span className="block pl-5 text-ink-3 text-sm">
                  {c.has === false ? 'they were built without it' : 'they were built elsewhere: nothing here tells'}; said by you,
                  and put down
                </span>
              </label>
            }
          />
        ))}
        {(t?.clusters ?? [])
          .filter((c) => c.has)
          .map((c) => (
            <Line key={c.charter} done text={`the hosts of ${c.charter} were built with it`} />
          ))}
        {t && !t.clusters.length && <Line done text="no running cluster pulls from here; those to come are built with it" />}
        <Line
          done={!!made && !made.files}
          text={
            made
              ? `${made.files ? `Installed on ${name} by hand` : `Installed on ${name}`}, valid until ${day(made.until)}`
              : `Installed on ${name}`
          }
        />
        <Line
          done={false}
          text={
            old.length ? (
              <span className="flex gap-3">
                {old.map((a) => a.subject).join(', ')} {old.length === 1 ? 'is' : 'are'} removed from the trust bundle
                {seen && t?.authority?.subject === seen.issuer && (
                  <button type="button" className="ml-auto font-semibold text-verdigris" onClick={() => setTidying(true)}>
                    Remove {old.length === 1 ? 'it' : 'them'}…
                  </button>
                )}
              </span>
            ) : (
              'last, the CA of the old one is removed from the trust bundle'
            )
          }
        />
      </ol>
      {made?.files && <Files name={name} files={made.files} />}
      <Refused error={trust.error ?? anchor.error ?? make.error} />
      {tidying && t && (
        <Suspense fallback={null}>
          <EditsDialog
            title={`What ${name} is trusted by`}
            edits={[{ op: 'set', kind: 'Registry', key: name, path: ['ca'], value: t.tidied }]}
            why={`${old.map((a) => a.subject).join(', ')} removed from the trust bundle of ${name}`}
            onClose={() => {
              setTidying(false);
              void trust.refetch();
            }}
          />
        </Suspense>
      )}
    </Dialog>
  );
}

/** Whoever signs is known only by what is trusted. */
const away = (signer: Signer) => signer === 'elsewhere' || signer === 'asked';
function trustText(t: Trust | undefined, signer: Signer, first: boolean): string {
  if (away(signer)) return `what signed it must be trusted: ${t?.anchors.map((a) => a.subject).join(', ') || 'nobody is yet'}`;
  if (!first) return `${t?.authority?.subject} is in the trust bundle, and in every boot kit from now on`;
  return `${signer === 'held' ? t?.authority?.subject : 'it'} is added to the trust bundle, beside ${t?.anchors.map((a) => a.subject).join(', ') || 'nothing'}`;
}

const Line = ({ done, waits, text }: { done: boolean; waits?: boolean; text: ReactNode }) => (
  <li className="flex items-baseline gap-2.5 border-rule border-b py-1.5">
    <Mark kind={done ? 'done' : waits ? 'hatched' : 'free'} />
    <span className="min-w-0 flex-1">{text}</span>
  </li>
);
const Choice = ({ legend, children }: { legend: string; children: ReactNode }) => (
  <fieldset className="mb-2.5 grid grid-cols-[130px_1fr] gap-3">
    <legend className="float-left text-ink-2">{legend}</legend>
    <div className="col-start-2 flex flex-col">{children}</div>
  </fieldset>
);
const Radio = ({ name, on, set, children }: { name: string; on: boolean; set: () => void; children: ReactNode }) => (
  <label className="flex items-center gap-1.5">
    <input type="radio" name={name} checked={on} onChange={set} />
    <span>{children}</span>
  </label>
);

/** Shown once: the key is kept nowhere. */
function Files({ name, files }: { name: string; files: { cert: string; key: string } }) {
  const link = (file: string, text: string) => (
    <a
      className="font-semibold text-verdigris hover:underline"
      download={file}
      href={`data:application/x-pem-file;base64,${btoa(text)}`}
    >
      {file}
    </a>
  );
  return (
    <p className="pt-3">
      Take {link(`${name}.crt`, files.cert)} and {link(`${name}.key`, files.key)} now: the key is kept nowhere. Install them where
      its configuration names them, and have it read them again.
    </p>
  );
}
