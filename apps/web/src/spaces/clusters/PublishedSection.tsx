import type { PublishedNow } from '@praesidor/contract';
import type { Standing } from '@praesidor/core/reach';
import { counted } from '@praesidor/core/words';
import { useMutation } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { scoped } from '../../state/scope.ts';

const standing: Record<Standing, [mark: 'done' | 'half' | 'free' | 'failing' | 'sighted', text: string]> = {
  'as-planned': ['done', 'as planned'],
  absent: ['free', 'not there'],
  waits: ['half', 'waits for an address'],
  other: ['failing', 'has another address'],
  'not-planned': ['sighted', 'not planned'],
  takes: ['failing', 'has an address of another'],
};

/** What a cluster that stands publishes now, as its API says, beside what was planned: asked when somebody wants to know. */
export function PublishedSection({ name, site }: { name: string; site: string }) {
  const leave = useMay();
  const ask = useMutation({ mutationFn: () => api<PublishedNow>('POST', `/api/charters/${name}/services/measure`) });
  const found = ask.data;
  const off = found?.services.filter((s) => s.standing !== 'as-planned').length ?? 0;
  return (
    <section aria-label="Services in the cluster" className="pt-5">
      <h2 className="flex items-baseline gap-3 pb-1 text-lg">
        Services in the cluster
        <Button
          disabled={!leave.may('reach.measure') || ask.isPending}
          title={leave.why('reach.measure')}
          onClick={() => ask.mutate()}
        >
          {found ? 'Ask again' : 'Ask the cluster'}
        </Button>
        {found && (
          <span className="font-normal font-sans text-base text-ink-2">
            {off ? `${counted(off, 'service differs', 'services differ')} from the plan` : 'all as planned'},{' '}
            <When at={found.at} />
          </span>
        )}
      </h2>
      <Refused error={ask.error} />
      {found && !found.services.length && <p className="text-ink-2">It publishes nothing, and nothing is planned.</p>}
      {found && found.services.length > 0 && (
        <table className="grid-table" aria-label="Services as the cluster has them">
          <thead>
            <tr>
              <th>Service</th>
              <th>State</th>
              <th>Planned</th>
              <th>Answers at</th>
              <th>Port of nodes</th>
              <th>Node</th>
            </tr>
          </thead>
          <tbody>
            {found.services.map((s) => (
              <tr key={`${s.namespace}/${s.name}`} data-row tabIndex={-1}>
                <td className="font-semibold">
                  {s.name}
                  {s.namespace !== 'default' && <span className="font-normal text-ink-2"> {s.namespace}</span>}
                </td>
                <td className="whitespace-normal!">
                  <Mark kind={standing[s.standing][0]} /> {standing[s.standing][1]}
                  {s.text && <span className="block text-ink-2">{s.text}</span>}
                </td>
                <td className="mono">{s.planned ?? '—'}</td>
                <td className="mono">
                  {s.seen?.addresses.map((a) => (
                    <Link key={a} className="block hover:underline" to={scoped(`/addresses/trace?to=${a}`, site)}>
                      {a}
                    </Link>
                  )) ?? '—'}
                </td>
                <td className="mono">{s.seen?.ports.flatMap((p) => p.nodePort ?? []).join(', ') || '—'}</td>
                <td>
                  {s.seen?.node ? (
                    <>
                      {s.seen.node.name}
                      {s.seen.node.since && (
                        <span className="block text-ink-2">
                          since <When at={s.seen.node.since} />
                        </span>
                      )}
                    </>
                  ) : (
                    '—'
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
