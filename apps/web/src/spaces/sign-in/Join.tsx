import type { Invited } from '@praesidor/contract';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, setCsrf } from '../../api/client.ts';
import type { Me } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Door } from './Door.tsx';

/** Where a link of a warden leads: a person chooses a password, and is signed in with it. */
export function Join() {
  const navigate = useNavigate();
  const client = useQueryClient();
  // Behind the #: it is sent to no server by following the link.
  const [token] = useState(() => window.location.hash.slice(1));
  const whose = useQuery({
    queryKey: ['invitation', token],
    retry: false,
    queryFn: () => api<Invited>('POST', '/api/invitations/look', { token }),
  });
  const [error, setError] = useState<Error>();
  const [busy, setBusy] = useState(false);
  const [p, setP] = useState({ next: '', again: '' });
  const differs = p.again !== '' && p.again !== p.next;
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    setBusy(true);
    try {
      const { login } = await api<{ login: string }>('POST', '/api/invitations/take', { token, password: p.next });
      const me = await api<Me>('POST', '/api/sign-in', { login, password: p.next });
      setCsrf(me.csrf);
      client.setQueryData(['me'], me);
      void navigate('/estate');
    } catch (cause) {
      setError(cause as Error);
      setBusy(false);
    }
  };
  return (
    <Door title="Choose a password">
      {whose.data ? (
        <form onSubmit={submit} className="pt-4">
          <p className="pb-3 text-ink-2">
            For {whose.data.name}, who signs in as <span className="mono">{whose.data.login}</span>.
          </p>
          <input type="hidden" name="username" autoComplete="username" value={whose.data.login} readOnly />
          <Field label="Password" wrong={p.next && p.next.length < 10 ? 'at least 10 characters' : undefined}>
            {(id) => (
              <Input
                id={id}
                type="password"
                autoComplete="new-password"
                autoFocus
                maxLength={256}
                value={p.next}
                onChange={(e) => setP({ ...p, next: e.target.value })}
              />
            )}
          </Field>
          <Field label="Repeat password" wrong={differs ? 'not the same' : undefined}>
            {(id) => (
              <Input
                id={id}
                type="password"
                autoComplete="new-password"
                maxLength={256}
                value={p.again}
                onChange={(e) => setP({ ...p, again: e.target.value })}
              />
            )}
          </Field>
          <Refused error={error} />
          <div className="flex justify-end pt-2">
            <Button filled type="submit" disabled={busy || p.next.length < 10 || p.next !== p.again}>
              Sign in
            </Button>
          </div>
        </form>
      ) : (
        <div className="pt-4">
          <Refused error={whose.error} />
          {whose.error && (
            <Link className="font-semibold text-verdigris hover:underline" to="/sign-in">
              Sign in
            </Link>
          )}
        </div>
      )}
    </Door>
  );
}
