import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, setCsrf } from '../../api/client.ts';
import type { Me } from '../../api/queries.ts';
import { Fort } from '../../frame/Fort.tsx';
import { Button } from '../../parts/Button.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';

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
    <div className="grid h-full grid-rows-[44px_1fr]">
      <header className="flex items-center gap-2 bg-bar px-3.5 font-semibold font-serif text-[16px] text-bar-text">
        <Fort />
        Praesidor
      </header>
      <main className="mx-auto w-[430px] pt-[16vh]">
        <h1 className="border-rule-2 border-b pb-3 text-xl">Sign in</h1>
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
        <p className="pt-6 text-ink-3">From owned machines to proved clusters.</p>
      </main>
    </div>
  );
}
