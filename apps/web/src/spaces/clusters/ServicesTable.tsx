import type { ClusterReach } from '@praesidor/core/reach';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { scoped } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';

/** How what runs in a cluster is reached; undefined while it is computed, null where there is no such cluster. */
export function useClusterReach(name: string): ClusterReach | null | undefined {
  const snapshot = useSnapshot().data;
  return useQuery({
    queryKey: ['cluster-reach', snapshot?.state, name],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? ((await (await computerWith(snapshot)).clusterReach(name)) ?? null) : null),
  }).data;
}
export const seconds = (s: number): string => `${Math.round(s * 10) / 10} s`;

/** The published services of a cluster: their addresses, what each is limited to, and who reaches it. */
export function ServicesTable({ cluster, site }: { cluster: string; site: string }) {
  const reach = useClusterReach(cluster);
  const by = reach?.announcements.find((a) => a.chosen);
  if (!reach?.pool || !by) return null;
  const { pool, services, clients } = reach;
  return (
    <section aria-label={`Service addresses of ${cluster}`} className="pt-5">
      <h2 className="pb-1 text-lg">
        Service addresses of {cluster}{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          pool <span className="mono">{pool.range}</span> · {pool.planned} of {pool.size} planned
        </span>
      </h2>
      {services.length ? (
        <table className="grid-table" aria-label={`Services of ${cluster}`}>
          <thead>
            <tr>
              <th>Service</th>
              <th>Address</th>
              <th>Announced by</th>
              <th>Throughput limit</th>
              <th>Outage if a host dies</th>
              <th>Reached from</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {services.map((s) => (
              <tr key={s.end} data-row tabIndex={-1}>
                <td className="font-semibold">
                  {s.name}
                  {s.namespace !== 'default' && <span className="font-normal text-ink-2"> {s.namespace}</span>}
                </td>
                <td className="mono">{s.address ?? '—'}</td>
                <td>{by.by === 'arp' ? 'ARP, one host' : `BGP, ${by.carriers} hosts`}</td>
                <td>{by.ceiling === undefined ? 'links not known' : `${by.ceiling} Gbit/s`}</td>
                <td>{seconds(by.outage)}</td>
                <td>
                  {clients.filter((c) => c.way === 'both' || c.way === 'there').length === 0 && (
                    <span className="text-ink-3">nobody else</span>
                  )}
                  {clients
                    .filter((c) => c.way === 'both' || c.way === 'there')
                    .map((c, i) => (
                      <span key={c.network}>
                        {i > 0 && ', '}
                        {c.network}
                        {c.way === 'there' && <span className="text-brick"> one way</span>}
                      </span>
                    ))}
                </td>
                <td className="text-right">
                  <Link
                    className="text-verdigris hover:underline"
                    to={scoped(
                      `/addresses/trace?to=${s.end}${s.port ? `&port=${s.port}` : ''}${clients[0] ? `&from=${clients[0].network}` : ''}`,
                      site,
                    )}
                  >
                    Trace
                  </Link>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-ink-2">No service is planned: the first that asks gets {pool.range.split('-')[0]}.</p>
      )}
    </section>
  );
}
