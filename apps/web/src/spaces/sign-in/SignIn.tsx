import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, setCsrf } from '../../api/client.ts';
import type { Me } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Door } from './Door.tsx';

export function SignIn() {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [params] = useSearchParams();
  const [error, setError] = useState<Error>();
  const [busy, setBusy] = useState(false);
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    setBusy(true);
    try {
      const me = await api<Me>('POST', '/api/sign-in', { login: form.get('login'), password: form.get('password') });
      setCsrf(me.csrf);
      client.setQueryData(['me'], me);
      const back = params.get('back') ?? '/estate';
      void navigate(back.startsWith('/') && !back.startsWith('//') ? back : '/estate');
    } catch (cause) {
      setError(cause as Error);
      setBusy(false);
    }
  };
  return (
    <Door title="Sign in">
      <form onSubmit={submit} className="pt-4">
        <Field label="Login">
          {(id) => <Input id={id} name="login" autoComplete="username" autoFocus required maxLength={64} />}
        </Field>
        <Field label="Password">
          {(id) => <Input id={id} name="password" type="password" autoComplete="current-password" required maxLength={256} />}
        </Field>
        <Refused error={error} />
        <div className="flex justify-end pt-2">
          <Button filled type="submit" disabled={busy}>
            Sign in
          </Button>
        </div>
      </form>
    </Door>
  );
}
