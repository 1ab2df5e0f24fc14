import type { SignInWays } from '@praesidor/contract';
import { isSignInFault, type SignInFault, signInFaults } from '@praesidor/core/access';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, ApiError, setCsrf } from '../../api/client.ts';
import type { Me } from '../../api/queries.ts';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Door } from './Door.tsx';

/** What the provider's way back says, in words. */
const notSignedIn = (fault: SignInFault): ApiError => {
  const { what, remedy } = signInFaults[fault];
  return new ApiError(401, 'sign-in-wrong', what, { remedy });
};

export function SignIn() {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [params] = useSearchParams();
  const ways = useQuery({ queryKey: ['sign-in'], queryFn: () => api<SignInWays>('GET', '/api/sign-in') });
  const back = params.get('back') ?? '/estate';
  const refused = params.get('refused') ?? '';
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
        <Refused error={error ?? (isSignInFault(refused) ? notSignedIn(refused) : undefined)} />
        <div className="flex justify-end pt-2">
          <Button filled type="submit" disabled={busy}>
            Sign in
          </Button>
        </div>
      </form>
      {ways.data?.provider && (
        <div className="mt-6 border-rule border-t pt-5">
          <LinkButton
            leaves
            className="w-full justify-center"
            to={`/api/sign-in/begin?${new URLSearchParams({ back }).toString()}`}
          >
            Sign in with {ways.data.provider}
          </LinkButton>
        </div>
      )}
    </Door>
  );
}
