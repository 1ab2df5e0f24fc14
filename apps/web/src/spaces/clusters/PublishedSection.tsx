import type { PublishedNow } from '@praesidor/contract';
import { holds, isIp, parseIp, parseRange } from '@praesidor/core/address';
import type { Charter, Edit } from '@praesidor/core/model';
import type { Standing } from '@praesidor/core/reach';
import { counted } from '@praesidor/core/words';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { scoped } from '../../state/scope.ts';

const standing: Record<Standing, [mark: 'done' | 'half' | 'free' | 'failing' | 'sighted', text: string]> = {
  'as-planned': ['done', 'as planned'],
  absent: ['free', 'not there'],
  waits: ['half', 'waits'],
  other: ['failing', 'is elsewhere'],
  'not-planned': ['sighted', 'not planned'],
  takes: ['failing', 'has an address of another'],
};

type Row = PublishedNow['services'][number];
/** What plans a service that has an address of the pool by turn, or a port of the nodes alone; undefined: there is nothing to plan. */
function planFor(charter: Charter, { standing, seen }: Row): Edit[] | undefined {
  const pool = charter.servicePool;
  const address = seen?.addresses[0];
  if (standing !== 'not-planned' || !seen) return undefined;
  if (!address) return atNodes(charter, seen);
  if (!pool || !isIp(address) || !holds(parseRange(pool.range), parseIp(address))) return undefined;
  const port = seen.ports[0]?.port;
  const service = { name: seen.name, namespace: seen.namespace, address, ...(port ? { port } : {}) };
  return [
    {
      op: 'set',
      kind: 'Charter',
      key: charter.name,
      path: ['servicePool', 'services'],
      value: [...(pool.services ?? []), service],
    },
  ];
}

/** What plans a service at the ports that it has at the nodes; undefined: it has none that can be planned. */
function atNodes(charter: Charter, seen: NonNullable<Row['seen']>): Edit[] | undefined {
  const ports = seen.ports.flatMap(({ nodePort: port, protocol }) => {
    const by = protocol.toLowerCase();
    return port && port >= 30_000 && port <= 32_767 && (by === 'tcp' || by === 'udp')
      ? [{ name: seen.name, namespace: seen.namespace, port, protocol: by }]
      : [];
  });
  if (!ports.length) return undefined;
  return [
    { op: 'set', kind: 'Charter', key: charter.name, path: ['nodePorts'], value: [...(charter.nodePorts ?? []), ...ports] },
  ];
}

/** What a cluster that stands publishes now, as its API says, beside what was planned: asked when somebody wants to know. */
export function PublishedSection({ charter, site }: { charter: Charter; site: string }) {
  const { name } = charter;
  const [planning, setPlanning] = useState<Row>();
  const leave = useMay();
  const ask = useMutation({ mutationFn: () => api<PublishedNow>('POST', `/api/charters/${name}/services/measure`) });
  const found = ask.data;
  const off = found?.services.filter((s) => s.standing !== 'as-planned').length ?? 0;
  return (
    <section aria-label="Services in the cluster" className="pt-5">
      <div className="flex items-baseline gap-3 pb-1">
        <h2 className="text-lg">Services in the cluster</h2>
        <Button
          disabled={!leave.may('reach.measure') || ask.isPending}
          title={leave.why('reach.measure')}
          onClick={() => ask.mutate()}
        >
          {found ? 'Ask again' : 'Ask the cluster'}
        </Button>
        {found && (
          <span className="text-ink-2">
            {off ? `${counted(off, 'service differs', 'services differ')} from the plan` : 'all as planned'},{' '}
            <When at={found.at} />
          </span>
        )}
      </div>
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
                  {planFor(charter, s) && (
                    <button
                      type="button"
                      className="text-verdigris hover:underline"
                      disabled={!leave.may('charters.save')}
                      title={leave.why('charters.save')}
                      onClick={() => setPlanning(s)}
                    >
                      Plan it…
                    </button>
                  )}
                </td>
                <td className="mono">{s.planned ?? (s.port ? `port ${s.port}` : '—')}</td>
                <td className="mono">
                  {s.seen?.addresses.length
                    ? s.seen.addresses.map((a) => (
                        <Link key={a} className="block hover:underline" to={scoped(`/addresses/trace?to=${a}`, site)}>
                          {a}
                        </Link>
                      ))
                    : '—'}
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
      {planning && (
        <EditsDialog
          title={`Plan ${planning.name} for ${name}`}
          about={
            planning.seen?.addresses.length ? 'It keeps the address that it has.' : 'It keeps the port that it has at the nodes.'
          }
          edits={planFor(charter, planning) ?? []}
          why={`${planning.name} of ${name} is planned`}
          onDone={() => ask.mutate()}
          onClose={() => setPlanning(undefined)}
        />
      )}
    </section>
  );
}
