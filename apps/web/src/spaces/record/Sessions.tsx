import { useSessions } from '../../api/queries.ts';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';

/** Browsers in which somebody is signed in, each of which can be signed out. */
export function Sessions({ title, login }: { title: string; login: string | undefined }) {
  const sessions = useSessions(login);
  const end = useCall<object, string>(
    (id: string) => ({ method: 'DELETE', path: login ? `/api/accounts/${login}/sessions/${id}` : `/api/me/sessions/${id}` }),
    'That browser is signed out.',
    [['sessions'], ['accounts']],
  );
  return (
    <section aria-label={title}>
      <h2 className="pt-5 pb-1 text-lg">{title}</h2>
      <Refused error={sessions.error} />
      <table className="grid-table" aria-label={title}>
        <thead>
          <tr>
            <th>Since</th>
            <th>Last seen</th>
            <th>From</th>
            <th>Browser</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {sessions.data?.map((s) => (
            <tr key={s.id}>
              <td>
                <When at={s.createdAt} as="both" />
              </td>
              <td>
                <When at={s.seenAt} as="both" />
              </td>
              <td className="mono">{s.address || '—'}</td>
              <td className="max-w-[420px] truncate" title={s.agent}>
                {s.agent || '—'}
              </td>
              <td className="whitespace-nowrap text-right">
                {s.own ? (
                  <span className="text-ink-3">this one</span>
                ) : (
                  <button
                    type="button"
                    className="font-semibold text-verdigris hover:underline"
                    disabled={end.isPending}
                    onClick={() => end.mutate(s.id)}
                  >
                    Sign out
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {sessions.data?.length === 0 && <p className="text-ink-2">Nowhere.</p>}
    </section>
  );
}
