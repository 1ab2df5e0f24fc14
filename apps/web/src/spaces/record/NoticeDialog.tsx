import { Notice, NoticeAbout } from '@praesidor/core/notices';
import { useState } from 'react';
import { useKeyring, useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';
import { abouts } from './notice-words.ts';

const ways = { webhook: 'webhook', mail: 'mail', syslog: 'syslog' } as const;
type Way = keyof typeof ways;
const secure: Record<'mail' | 'syslog', Record<string, string>> = {
  mail: { starttls: 'STARTTLS', tls: 'TLS', none: 'none' },
  syslog: { tls: 'TLS', tcp: 'TCP', udp: 'UDP' },
};
const box = 'border border-rule-2 bg-leaf px-2 py-1';
const words = (text: string) => text.split(/[\s,;]+/).filter(Boolean);

/** Whom to tell of what: a new notice, or another way for one that is there. What cannot be taken is said at its field. */
export function NoticeDialog({ notice, onClose }: { notice: Notice | undefined; onClose: () => void }) {
  const keys = useKeyring();
  const sites = useSnapshot().data?.estate.sites ?? [];
  const [way, setWay] = useState<Way>(notice?.mail ? 'mail' : notice?.syslog ? 'syslog' : 'webhook');
  const [about, setAbout] = useState<readonly NoticeAbout[]>(notice?.about ?? ['failed', 'drift']);
  const [e, setE] = useState({
    name: notice?.name ?? '',
    sites: notice?.sites?.join(', ') ?? '',
    to: notice?.webhook?.url ?? notice?.mail?.server ?? notice?.syslog?.server ?? '',
    security: notice?.mail?.security ?? 'starttls',
    over: notice?.syslog?.over ?? 'tls',
    from: notice?.mail?.from ?? '',
    people: notice?.mail?.to.join(', ') ?? '',
    credential: notice?.webhook?.credential ?? notice?.mail?.credential ?? '',
    ca: notice?.webhook?.ca ?? notice?.mail?.ca ?? notice?.syslog?.ca ?? '',
  });
  const set = (k: keyof typeof e) => (x: { target: { value: string } }) => setE({ ...e, [k]: x.target.value });
  const checked = {
    ...(e.credential ? { credential: e.credential } : {}),
    ...(e.ca.trim() ? { ca: e.ca } : {}),
  };
  const wanted = {
    name: e.name,
    about,
    ...(words(e.sites).length ? { sites: words(e.sites) } : {}),
    ...(way === 'webhook' ? { webhook: { url: e.to, ...checked } } : {}),
    ...(way === 'mail' ? { mail: { server: e.to, security: e.security, from: e.from, to: words(e.people), ...checked } } : {}),
    ...(way === 'syslog' ? { syslog: { server: e.to, over: e.over, ...(checked.ca ? { ca: checked.ca } : {}) } } : {}),
  };
  const read = Notice.safeParse(wanted);
  const strange = words(e.sites).find((s) => !sites.some((x) => x.name === s));
  /** What is wrong at a field, once something stands there. */
  const wrong = (field: string, typed: string) =>
    typed ? read.error?.issues.find((i) => i.path.includes(field))?.message : undefined;
  const put = useCall<object>(
    () => ({ method: 'PUT', path: `/api/notices/${e.name}`, body: read.data }),
    `${e.name} is told from now on.`,
    [['notices']],
  );
  const needsCa = read.error?.issues.find((i) => i.path.at(-1) === 'ca')?.message;
  return (
    <Dialog
      open
      onClose={onClose}
      title={notice ? `Change ${notice.name}` : 'Add a notice'}
      about="Told is what comes from now on, in order, until the other side has taken it; what is a day old is not told any more."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!read.success || strange !== undefined || put.isPending}
            onClick={() => put.mutate(undefined, { onSuccess: onClose })}
          >
            {notice ? 'Save' : 'Add'}
          </Button>
        </>
      }
      same={put.call}
    >
      {!notice && (
        <Field label="Name" wrong={wrong('name', e.name)}>
          {(id) => <Input id={id} value={e.name} onChange={set('name')} placeholder="night-watch" />}
        </Field>
      )}
      <fieldset className="mb-2.5 grid grid-cols-[130px_1fr] gap-3">
        <legend className="contents text-ink-2">
          <span>Of</span>
        </legend>
        <div>
          {NoticeAbout.options.map((a) => (
            <label key={a} className="mr-4 block">
              <input
                type="checkbox"
                checked={about.includes(a)}
                onChange={(x) => setAbout(x.target.checked ? [...about, a] : about.filter((y) => y !== a))}
              />{' '}
              {abouts[a]}
            </label>
          ))}
        </div>
      </fieldset>
      <Field
        label="Sites"
        wrong={strange && `there is no site ${strange}`}
        hint="Empty: of all of them, and of what belongs to none."
      >
        {(id) => <Input id={id} value={e.sites} onChange={set('sites')} placeholder="bw, lr" />}
      </Field>
      <Field label="By">
        {(id) => (
          <select id={id} value={way} onChange={(x) => setWay(x.target.value as Way)} className={box}>
            {Object.entries(ways).map(([k, t]) => (
              <option key={k} value={k}>
                {t}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label={way === 'webhook' ? 'URL' : 'Server'} wrong={wrong(way === 'webhook' ? 'url' : 'server', e.to)}>
        {(id) => (
          <Input
            id={id}
            className="mono"
            value={e.to}
            onChange={set('to')}
            placeholder={way === 'webhook' ? 'https://hook.kestrelferries.example/acts' : 'mail.kestrelferries.example'}
          />
        )}
      </Field>
      {way !== 'webhook' && (
        <Field label={way === 'mail' ? 'Encryption' : 'Over'}>
          {(id) => (
            <select
              id={id}
              value={way === 'mail' ? e.security : e.over}
              onChange={set(way === 'mail' ? 'security' : 'over')}
              className={box}
            >
              {Object.entries(secure[way]).map(([k, t]) => (
                <option key={k} value={k}>
                  {t}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {way === 'mail' && (
        <>
          <Field label="From" wrong={wrong('from', e.from)}>
            {(id) => <Input id={id} value={e.from} onChange={set('from')} placeholder="praesidor@kestrelferries.example" />}
          </Field>
          <Field label="To" wrong={wrong('to', e.people)}>
            {(id) => <Input id={id} value={e.people} onChange={set('people')} placeholder="night@kestrelferries.example" />}
          </Field>
        </>
      )}
      {way !== 'syslog' && (
        <Field
          label={way === 'mail' ? 'Signs in with' : 'Token'}
          wrong={wrong('credential', e.credential)}
          hint="An entry of the keyring for “other”, which may be sent to that host."
        >
          {(id) => (
            <select id={id} value={e.credential} onChange={set('credential')} className={box}>
              <option value="">none</option>
              {keys.data
                ?.filter((k) => k.use === 'other')
                .map((k) => (
                  <option key={k.name} value={k.name}>
                    {k.name}
                  </option>
                ))}
            </select>
          )}
        </Field>
      )}
      <Field
        label="Authority"
        wrong={e.to ? needsCa : undefined}
        hint="The certificate, as PEM, that the other side’s is checked against."
      >
        {(id) => <textarea id={id} rows={3} value={e.ca} onChange={set('ca')} className={`mono w-full ${box}`} />}
      </Field>
      <Refused error={put.error} />
    </Dialog>
  );
}
