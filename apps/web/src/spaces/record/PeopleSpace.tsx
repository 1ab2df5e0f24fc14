import { counted } from '@praesidor/core/words';
import type { Invitation, NewPassword } from '@praesidor/contract';
import { type Role, roles, type SignInWay, signInWays } from '@praesidor/core/access';
import { useState } from 'react';
import { type AccountDto, useAccounts, useMe } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { PeopleNav } from './PeopleNav.tsx';
import { RightsDialog } from './RightsDialog.tsx';
import { Sessions } from './Sessions.tsx';
import { Tokens } from './Tokens.tsx';

const means: Record<Role, string> = {
  reader: 'reader: looks',
  planner: 'planner: changes the plan',
  builder: 'builder: connects to devices, builds',
  warden: 'warden: credentials, trust, accounts',
};
const ways: Record<SignInWay, string> = { password: 'password', both: 'password or provider', provider: 'provider' };
const consequence: Record<SignInWay, string> = {
  password: 'Whom the provider signed in is signed out.',
  both: 'The provider says once whose account it is; from then on it is theirs.',
  provider: 'No password opens the account any more.',
};
const renew = [['accounts'], ['acts']];

/** Who has an account, with what role, and where they are signed in; one's own for everybody. */
export function PeopleSpace() {
  const leave = useMay();
  const manage = leave.may('accounts.manage');
  const accounts = useAccounts(manage);
  const me = useMe().data;
  const [adding, setAdding] = useState(false);
  const [own, setOwn] = useState(false);
  const [chosen, setChosen] = useState<string>();
  const one = accounts.data?.find((a) => a.login === chosen);
  return (
    <Space
      space="people"
      title="People"
      facts={manage ? `${counted(accounts.data?.length ?? 0, 'account')}` : 'your account; a warden manages the others'}
      sheets={<PeopleNav />}
      findings={[]}
      acts={
        <>
          <Button onClick={() => setOwn(true)}>Change your password…</Button>
          <Button filled data-key="a" disabled={!manage} title={leave.why('accounts.manage')} onClick={() => setAdding(true)}>
            Add account…
          </Button>
        </>
      }
    >
      <Refused error={accounts.error} />
      {manage && (
        <table className="grid-table mt-2" aria-label="Accounts">
          <thead>
            <tr>
              <th>Login</th>
              <th>Name</th>
              <th>Role</th>
              <th>Teams</th>
              <th>Signed in</th>
              <th>Last seen</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {accounts.data?.map((a) => (
              <Row
                key={a.login}
                a={a}
                chosen={a.login === chosen}
                onChoose={() => setChosen(a.login === chosen ? undefined : a.login)}
              />
            ))}
          </tbody>
        </table>
      )}
      {one && one.login !== me?.login && <Sessions title={`Where ${one.name} is signed in`} login={one.login} />}
      {one && one.login !== me?.login && <Tokens title={`Tokens of ${one.name}`} login={one.login} />}
      <Sessions title="Where you are signed in" login={undefined} />
      <Tokens title="Your tokens" login={undefined} />
      {adding && <Add onClose={() => setAdding(false)} />}
      {own && <OwnPassword onClose={() => setOwn(false)} />}
    </Space>
  );
}

function Row({ a, chosen, onChoose }: { a: AccountDto; chosen: boolean; onChoose: () => void }) {
  const change = useCall<object, { role?: Role; disabled?: boolean }>(
    (to: { role?: Role; disabled?: boolean }) => ({ method: 'PATCH', path: `/api/accounts/${a.login}`, body: to }),
    (_, to) =>
      to.role
        ? `${a.name} is ${to.role} now.`
        : to.disabled
          ? `${a.name} cannot sign in any more.`
          : `${a.name} can sign in again.`,
    renew,
  );
  const [resetting, setResetting] = useState(false);
  const [giving, setGiving] = useState(false);
  const act = 'font-semibold text-verdigris hover:underline';
  return (
    <tr data-row tabIndex={-1} className={chosen ? 'lit' : a.disabled ? 'text-ink-3' : ''}>
      <td className="mono">{a.login}</td>
      <td className="font-semibold">{a.name}</td>
      <td>
        <select
          aria-label={`Role of ${a.login}`}
          value={a.role}
          disabled={change.isPending || a.disabled}
          onChange={(e) => change.mutate({ role: e.target.value as Role })}
          className="border border-rule-2 bg-leaf px-1.5 py-0.5"
        >
          {roles.map((r) => (
            <option key={r} value={r}>
              {means[r]}
            </option>
          ))}
        </select>
      </td>
      <td className="max-w-[220px] whitespace-normal!">
        {a.teams.join(', ') || <span className="text-ink-3">none</span>}
        {Object.entries(a.sites).map(([s, r]) => (
          <span key={s} className="block text-ink-2 text-sm">
            {r} at {s}
          </span>
        ))}
      </td>
      <td>
        {a.disabled ? 'disabled' : a.sessions ? `in ${counted(a.sessions, 'browser')}` : 'no'}
        {a.signIn !== 'password' && <span className="block text-ink-2 text-sm">by {ways[a.signIn]}</span>}
      </td>
      <td>{a.lastSeen ? <When at={a.lastSeen} as="both" /> : '—'}</td>
      <td className="whitespace-nowrap text-right">
        <button
          type="button"
          className={`mr-3 ${act}`}
          aria-expanded={chosen}
          aria-label={`Sessions of ${a.login}`}
          onClick={onChoose}
        >
          Sessions
        </button>
        <button
          type="button"
          className={`mr-3 ${act}`}
          aria-label={`Teams and sites of ${a.login}`}
          onClick={() => setGiving(true)}
        >
          Teams…
        </button>
        <button type="button" className={`mr-3 ${act}`} aria-label={`Sign-in of ${a.login}`} onClick={() => setResetting(true)}>
          Sign-in…
        </button>
        <button
          type="button"
          className={act}
          aria-label={`${a.disabled ? 'Enable' : 'Disable'} ${a.login}`}
          onClick={() => change.mutate({ disabled: !a.disabled })}
        >
          {a.disabled ? 'Enable' : 'Disable'}
        </button>
        {giving && <RightsDialog account={a} onClose={() => setGiving(false)} />}
        {resetting && <Reset a={a} onClose={() => setResetting(false)} />}
      </td>
    </tr>
  );
}

/** A password that the server made: shown once. */
const Once = ({ login, password }: { login: string; password: string }) => (
  <p>
    The password of <b>{login}</b>, shown only now: <Copy text={password} className="mono font-semibold" />
  </p>
);

/** How somebody signs in: by the provider or with a password, and another password. */
function Reset({ a, onClose }: { a: AccountDto; onClose: () => void }) {
  const [way, setWay] = useState(a.signIn);
  const change = useCall<object>(
    () => ({ method: 'PATCH', path: `/api/accounts/${a.login}`, body: { signIn: way } }),
    `${a.name} signs in by ${ways[way]}.`,
    renew,
  );
  const reset = useCall<{ password: string }>(
    () => ({ method: 'POST', path: `/api/accounts/${a.login}/password`, body: {} }),
    `${a.login} has a new password, and is signed out everywhere.`,
    renew,
  );
  const link = useCall<Invitation>(
    () => ({ method: 'POST', path: `/api/accounts/${a.login}/invitation` }),
    `With the link ${a.name} chooses a password.`,
    renew,
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Sign-in of ${a.login}`}
      same={way === a.signIn ? reset.call : change.call}
      about={
        a.signIn === 'provider'
          ? `${a.name} signs in by the provider alone.`
          : `${a.name} is signed out everywhere by a new password, and when a link is used with which ${a.name} chooses one.`
      }
      acts={
        reset.data || link.data ? (
          <Button filled onClick={onClose}>
            Close
          </Button>
        ) : (
          <>
            <Button onClick={onClose}>Cancel</Button>
            {way !== a.signIn ? (
              <Button filled disabled={change.isPending} onClick={() => change.mutate(undefined, { onSuccess: onClose })}>
                Save
              </Button>
            ) : (
              a.signIn !== 'provider' && (
                <>
                  <Button disabled={link.isPending || reset.isPending} onClick={() => link.mutate()}>
                    Make a link
                  </Button>
                  <Button filled disabled={reset.isPending || link.isPending} onClick={() => reset.mutate()}>
                    Set a new password
                  </Button>
                </>
              )
            )}
          </>
        )
      }
    >
      {!reset.data && !link.data && (
        <Field label="Signs in by" hint={way === a.signIn ? undefined : consequence[way]}>
          {(id) => (
            <select
              id={id}
              value={way}
              onChange={(e) => setWay(e.target.value as SignInWay)}
              className="border border-rule-2 bg-leaf px-2 py-1"
            >
              {signInWays.map((w) => (
                <option key={w} value={w}>
                  {ways[w]}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {reset.data && <Once login={a.login} password={reset.data.password} />}
      {link.data && <OnceLink name={a.name} made={link.data} />}
      <Refused error={change.error ?? reset.error ?? link.error} />
    </Dialog>
  );
}

function Add({ onClose }: { onClose: () => void }) {
  const [a, setA] = useState({ login: '', name: '', role: 'planner' as Role });
  const add = useCall<NewPassword>(
    () => ({ method: 'POST', path: '/api/accounts', body: { ...a, invite: true } }),
    `${a.login} has an account.`,
    renew,
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Add account"
      about="A link is made and shown once: whoever opens it chooses the password. It is good for three days."
      acts={
        add.data ? (
          <Button filled onClick={onClose}>
            Close
          </Button>
        ) : (
          <>
            <Button onClick={onClose}>Cancel</Button>
            <Button filled disabled={!a.login || !a.name || add.isPending} onClick={() => add.mutate()}>
              Add
            </Button>
          </>
        )
      }
      same={add.call}
    >
      {add.data ? (
        <OnceLink name={a.name} made={add.data.invitation} />
      ) : (
        <>
          <Field label="Login">
            {(id) => <Input id={id} className="mono" value={a.login} onChange={(e) => setA({ ...a, login: e.target.value })} />}
          </Field>
          <Field label="Name">
            {(id) => <Input id={id} value={a.name} onChange={(e) => setA({ ...a, name: e.target.value })} />}
          </Field>
          <Field label="Role">
            {(id) => (
              <select
                id={id}
                value={a.role}
                onChange={(e) => setA({ ...a, role: e.target.value as Role })}
                className="border border-rule-2 bg-leaf px-2 py-1"
              >
                {roles.map((r) => (
                  <option key={r} value={r}>
                    {means[r]}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </>
      )}
      <Refused error={add.error} />
    </Dialog>
  );
}

function OwnPassword({ onClose }: { onClose: () => void }) {
  const [p, setP] = useState({ current: '', next: '', again: '' });
  const change = useCall<object>(
    () => ({ method: 'POST', path: '/api/me/password', body: { current: p.current, next: p.next } }),
    'Your password was changed; your other browsers are signed out.',
    [['sessions']],
  );
  const differs = p.again !== '' && p.again !== p.next;
  const field = (label: string, k: keyof typeof p, kind: string, wrong?: string) => (
    <Field label={label} wrong={wrong}>
      {(id) => (
        <Input id={id} type="password" autoComplete={kind} value={p[k]} onChange={(e) => setP({ ...p, [k]: e.target.value })} />
      )}
    </Field>
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Change your password"
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!p.current || p.next.length < 10 || p.next !== p.again || change.isPending}
            onClick={() => change.mutate(undefined, { onSuccess: onClose })}
          >
            Change password
          </Button>
        </>
      }
    >
      {field('Current password', 'current', 'current-password')}
      {field('New password', 'next', 'new-password', p.next && p.next.length < 10 ? 'at least 10 characters' : undefined)}
      {field('Repeat new password', 'again', 'new-password', differs ? 'not the same' : undefined)}
      <Refused error={change.error} />
    </Dialog>
  );
}

/** A link, shown once, with which somebody chooses a password. */
function OnceLink({ name, made }: { name: string; made: { token: string; endsAt: string } | undefined }) {
  if (!made) return null;
  const text = `${window.location.origin}/join#${made.token}`;
  return (
    <p className="pb-2">
      The link for {name}, shown only now; good once, until <When at={made.endsAt} as="both" />:{' '}
      <Copy text={text} className="mono whitespace-normal! break-all font-semibold" />
    </p>
  );
}
