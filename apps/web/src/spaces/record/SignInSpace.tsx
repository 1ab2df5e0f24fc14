import { SignInProvider } from '@praesidor/core/access';
import type { SignInProviderSeen, SignInProviderSet } from '@praesidor/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useKeyring } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { PeopleNav } from './PeopleNav.tsx';

const path = '/api/sign-in/provider';
const renew = [['sign-in provider'], ['accounts']];
const newcomers = { refused: 'refused', reader: 'an account as reader' } as const;

/** Who says who somebody is, beside the passwords of this installation. */
export function SignInSpace() {
  const leave = useMay();
  const manage = leave.may('accounts.manage');
  const set = useQuery({
    queryKey: ['sign-in provider'],
    enabled: manage,
    queryFn: () => api<SignInProviderSet>('GET', path),
  });
  const [open, setOpen] = useState<'change' | 'remove'>();
  const test = useCall<SignInProviderSeen>(
    () => ({ method: 'POST', path: `${path}/test` }),
    (seen) => `It answers as ${seen.issuer}.`,
    [],
  );
  const doc = set.data?.doc ?? undefined;
  const begin = (
    <Button filled disabled={!manage} title={leave.why('accounts.manage')} onClick={() => setOpen('change')}>
      Set a provider…
    </Button>
  );
  return (
    <Space
      space="sign-in"
      title="Sign-in provider"
      facts={doc ? doc.title : manage ? 'none: people sign in with their passwords' : 'a warden sets it'}
      sheets={<PeopleNav />}
      findings={[]}
      acts={
        doc && (
          <>
            <Button onClick={() => setOpen('remove')}>Remove…</Button>
            <Button disabled={test.isPending} onClick={() => test.mutate(undefined)}>
              {test.isPending ? 'Testing' : 'Test'}
            </Button>
            <Button filled onClick={() => setOpen('change')}>
              Change…
            </Button>
          </>
        )
      }
    >
      <Refused error={set.error ?? test.error ?? undefined} />
      {doc && set.data && (
        <dl className="mt-4 grid max-w-[820px] grid-cols-[200px_1fr] gap-x-4 gap-y-2.5">
          <Fact name="Issuer">
            <span className="mono">{doc.issuer}</span>
          </Fact>
          <Fact name="Known there as">
            <span className="mono">{doc.client}</span>
          </Fact>
          <Fact name="Secret">{doc.credential ? `keyring entry ${doc.credential}` : 'none'}</Fact>
          <Fact name="Leads back to">
            <Copy text={set.data.back} className="mono" />
            <span className="block text-ink-3">The provider must know this address.</span>
          </Fact>
          <Fact name="Login here">
            what it says in <span className="mono">{doc.claim}</span>
          </Fact>
          <Fact name="Who has no account">{newcomers[doc.newcomers]}</Fact>
          <Fact name="Last test">
            {test.data ? (
              <>
                it answers; people sign in at <span className="mono">{test.data.signsAt}</span>
              </>
            ) : (
              <span className="text-ink-3">{test.error ? 'failed, as said above' : 'not tested since this page was opened'}</span>
            )}
          </Fact>
        </dl>
      )}
      {set.data && !doc && (
        <Empty title="No sign-in provider is set" act={begin}>
          With one, people sign in where your organisation keeps its people (OpenID Connect). Passwords stay beside it, account by
          account.
        </Empty>
      )}
      {!manage && <Empty title="A warden sets the sign-in provider">{leave.why('accounts.manage')}</Empty>}
      {open === 'change' && set.data && <Change set={set.data} onClose={() => setOpen(undefined)} />}
      {open === 'remove' && doc && <Remove title={doc.title} onClose={() => setOpen(undefined)} />}
    </Space>
  );
}

const Fact = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <>
    <dt className="text-ink-2">{name}</dt>
    <dd>{children}</dd>
  </>
);

function Change({ set, onClose }: { set: SignInProviderSet; onClose: () => void }) {
  const keys = useKeyring();
  const { doc } = set;
  const [e, setE] = useState({
    title: doc?.title ?? '',
    issuer: doc?.issuer ?? '',
    client: doc?.client ?? '',
    credential: doc?.credential ?? '',
    claim: doc?.claim ?? 'preferred_username',
    newcomers: doc?.newcomers ?? 'refused',
    ca: doc?.ca ?? '',
  });
  const to = (k: keyof typeof e) => (x: { target: { value: string } }) => setE({ ...e, [k]: x.target.value });
  const { credential, ...rest } = e;
  const read = SignInProvider.safeParse({ ...rest, ...(credential ? { credential } : {}) });
  /** What is wrong at a field, once something stands there. */
  const wrong = (field: keyof typeof e) => (e[field] ? read.error?.issues.find((x) => x.path[0] === field)?.message : undefined);
  const put = useCall<object>(() => ({ method: 'PUT', path, body: read.data }), `People can sign in by ${e.title}.`, renew);
  const exchanged = doc && doc.issuer !== e.issuer;
  return (
    <Dialog
      open
      onClose={onClose}
      title={doc ? 'Change the sign-in provider' : 'Set a sign-in provider'}
      about={
        exchanged
          ? 'With another issuer, everybody who signed in by the present one is signed out, and is known anew at the next sign-in.'
          : 'Accounts that sign in with a password alone are not touched.'
      }
      same={put.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={!read.success || put.isPending} onClick={() => put.mutate(undefined, { onSuccess: onClose })}>
            Save
          </Button>
        </>
      }
    >
      <Field label="Title" wrong={wrong('title')} hint="As it stands on the button where people sign in.">
        {(id) => <Input id={id} value={e.title} onChange={to('title')} placeholder="Kestrel Ferries sign-in" />}
      </Field>
      <Field label="Issuer" wrong={wrong('issuer')}>
        {(id) => (
          <Input
            id={id}
            className="mono"
            value={e.issuer}
            onChange={to('issuer')}
            placeholder="https://id.kestrelferries.example"
          />
        )}
      </Field>
      <Field label="Known there as" wrong={wrong('client')} hint={`Its client ID. It leads people back to ${set.back}`}>
        {(id) => <Input id={id} className="mono" value={e.client} onChange={to('client')} placeholder="praesidor" />}
      </Field>
      <Field label="Secret">
        {(id) => (
          <select id={id} value={e.credential} onChange={to('credential')} className="border border-rule-2 bg-leaf px-2 py-1">
            <option value="">none</option>
            {keys.data
              ?.filter((k) => k.use === 'other')
              .map((k) => (
                <option key={k.name}>{k.name}</option>
              ))}
          </select>
        )}
      </Field>
      <Field label="Login here" wrong={wrong('claim')} hint="The claim that says it.">
        {(id) => <Input id={id} className="mono" value={e.claim} onChange={to('claim')} />}
      </Field>
      <Field label="Who has no account">
        {(id) => (
          <select id={id} value={e.newcomers} onChange={to('newcomers')} className="border border-rule-2 bg-leaf px-2 py-1">
            {Object.entries(newcomers).map(([k, t]) => (
              <option key={k} value={k}>
                {t}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Its authority" wrong={wrong('ca')} hint="The certificate that its own is checked against (PEM).">
        {(id) => (
          <textarea
            id={id}
            rows={4}
            className="mono w-full border border-rule-2 bg-leaf px-2 py-1 text-sm"
            value={e.ca}
            onChange={to('ca')}
            placeholder="-----BEGIN CERTIFICATE-----"
          />
        )}
      </Field>
      <Refused error={put.error ?? undefined} />
    </Dialog>
  );
}

function Remove({ title, onClose }: { title: string; onClose: () => void }) {
  const remove = useCall<object>(() => ({ method: 'DELETE', path }), `Nobody signs in by ${title} any more.`, renew);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Remove ${title}`}
      about="Whoever signed in by it is signed out. Accounts that sign in by it alone cannot sign in until a warden changes that."
      same={remove.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={remove.isPending} onClick={() => remove.mutate(undefined, { onSuccess: onClose })}>
            Remove
          </Button>
        </>
      }
    >
      <Refused error={remove.error ?? undefined} />
    </Dialog>
  );
}
