import { counted, gigabytesText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import FillChart from './FillChart.tsx';
import { SubNav } from './SubNav.tsx';

/** Where backups go: what each store may hold, and what plans come to there. */
export function StoresSpace() {
  const { site, inScope, params } = useScope();
  const navigate = useNavigate();
  const snapshot = useSnapshot().data;
  const rows = useQuery({
    queryKey: ['stores', snapshot?.state],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? (await computerWith(snapshot)).stores() : []),
  }).data;
  const list = (rows ?? []).filter((r) => inScope(r.store.site));
  const findings = (useReport().data?.findings ?? []).filter((f) => f.subject.kind === 'BackupStore' && inScope(f.site));
  const begin = <LinkButton to={scoped('/declare?kind=BackupStore&back=/clusters/stores', site)}>New store…</LinkButton>;
  return (
    <Space
      space="stores"
      sheets={<SubNav site={site} />}
      title="Backup stores"
      facts={counted(list.length, 'store')}
      findings={findings}
      acts={begin}
    >
      {rows && !list.length ? (
        <Empty title="No store is declared" act={begin}>
          Backups of volumes go to an object store that speaks the S3 protocol, or to an NFS export; best at another site than the
          cluster.
        </Empty>
      ) : (
        <table className="grid-table mt-2" aria-label="Backup stores">
          <thead>
            <tr>
              <th>Store</th>
              <th>Kept as</th>
              <th>Where</th>
              <th>Planned</th>
              <th className="w-1/4">Of what it may hold</th>
              <th>Clusters</th>
            </tr>
          </thead>
          <tbody>
            {list.map(({ store: s, taken, sumGB }) => {
              const to = scoped(`/declare?edit=${encodeURIComponent(`BackupStore ${s.name}`)}&back=/clusters/stores`, site);
              const share = s.sizeGB ? sumGB / s.sizeGB : undefined;
              return (
                <tr
                  key={s.name}
                  data-row
                  tabIndex={0}
                  aria-selected={params.get('at') === s.name}
                  className="cursor-pointer"
                  onClick={() => void navigate(to)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') void navigate(to);
                  }}
                >
                  <td className="font-semibold">
                    {s.name}
                    <At kind="BackupStore" name={s.name} />
                    {s.title && <span className="block font-normal text-ink-2 text-sm">{s.title}</span>}
                  </td>
                  <td>{s.as === 'objects' ? 'objects' : 'NFS'}</td>
                  <td className="mono text-sm">{s.as === 'objects' ? `${s.endpoint}/${s.bucket}` : `${s.server}:${s.path}`}</td>
                  <td>{gigabytesText(sumGB)}</td>
                  <td>
                    {share === undefined ? (
                      <span className="text-ink-3">not declared</span>
                    ) : (
                      <span className="flex items-center gap-2">
                        <span
                          role="img"
                          aria-label={`${Math.round(share * 100)} % of ${gigabytesText(s.sizeGB ?? 0)}`}
                          className="relative block h-2 w-24 bg-rule"
                        >
                          <span
                            className={`absolute inset-y-0 left-0 ${share > 1 ? 'bg-brick' : 'bg-verdigris'}`}
                            style={{ width: `${Math.min(100, share * 100)}%` }}
                          />
                        </span>
                        <span className={share > 1 ? 'text-brick' : ''}>
                          {Math.round(share * 100)} % of {gigabytesText(s.sizeGB ?? 0)}
                        </span>
                      </span>
                    )}
                  </td>
                  <td>
                    {taken.map((t) => `${t.charter} ${gigabytesText(t.gb)}`).join(', ') || (
                      <span className="text-ink-3">none</span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {list.map((row) =>
        row.fill.points.length > 1 ? (
          <FillChart
            key={row.store.name}
            row={row}
            zone={snapshot?.estate.sites.find((x) => x.name === row.store.site)?.timezone ?? 'UTC'}
          />
        ) : null,
      )}
    </Space>
  );
}
