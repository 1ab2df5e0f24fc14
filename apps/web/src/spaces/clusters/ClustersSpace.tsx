import { counted } from '@praesidor/core/words';
import { workerCount } from '@praesidor/core/charter';
import { stateText, underWay } from '@praesidor/core/schedule';
import { useNavigate } from 'react-router';
import { useBuilds, useDrifts, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { useReport } from '../../state/computed.ts';
import { SubNav } from './SubNav.tsx';
import { scoped, useScope } from '../../state/scope.ts';

export function ClustersSpace() {
  const { inScope, site } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const builds = useBuilds();
  const drifts = useDrifts();
  const charters = (estate?.charters ?? []).filter((c) => inScope(c.site));
  const findings = (report.data?.findings ?? []).filter((f) => f.charters.some((c) => charters.some((x) => x.name === c)));
  return (
    <Space
      space="clusters"
      sheets={<SubNav site={site} />}
      title="Clusters"
      facts={`${charters.length} charters`}
      findings={findings}
      acts={<LinkButton to={scoped('/clusters/new', site)}>New charter…</LinkButton>}
    >
      {estate && !charters.length ? (
        <Empty
          title="No cluster is declared here"
          act={
            <LinkButton filled to={scoped('/declare?kind=Charter', site)}>
              Declare a cluster
            </LinkButton>
          }
        >
          A charter declares one cluster; everything else follows from it.
        </Empty>
      ) : (
        <table className="grid-table mt-2" aria-label="Clusters">
          <thead>
            <tr>
              <th>Cluster</th>
              <th>Site</th>
              <th>Purpose</th>
              <th>Release</th>
              <th>Control plane</th>
              <th>Workers</th>
              <th>Mirror</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {charters.map((c) => {
              const nodes = estate?.hosts.filter((h) => h.held?.charter === c.name) ?? [];
              const serves = nodes.some((n) => n.state === 'serving');
              const b = builds.data?.find((x) => x.charter === c.name);
              const off = serves ? (drifts.data?.filter((d) => d.charter === c.name).length ?? 0) : 0;
              const to = scoped(`/clusters/${c.name}`, site);
              return (
                <tr
                  key={c.name}
                  data-row
                  tabIndex={0}
                  className="cursor-pointer"
                  onClick={() => void navigate(to)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') void navigate(to);
                  }}
                >
                  <td className="font-semibold">
                    {c.name}
                    <At kind="Charter" name={c.name} />
                  </td>
                  <td>{estate?.sites.find((s) => s.name === c.site)?.title}</td>
                  <td className="text-ink-2">{c.purpose}</td>
                  <td>{c.release}</td>
                  <td>{c.controlPlane.count}</td>
                  <td>{workerCount(c)}</td>
                  <td>{c.mirror}</td>
                  <td>
                    <span className="flex items-center gap-1.5">
                      <Mark kind={serves ? (off ? 'failing' : 'done') : b?.failed ? 'failing' : nodes.length ? 'half' : 'free'} />
                      {serves
                        ? off
                          ? `serving, ${counted(off, 'line')} of the proof ${off > 1 ? 'do' : 'does'} not hold`
                          : 'serving'
                        : b && b.state !== 'done'
                          ? `build ${b.number} ${stateText[b.state]}${underWay(b) && b.failed ? ', with failed steps' : ''}`
                          : nodes.length
                            ? `${counted(nodes.length, 'host')} held`
                            : 'declared'}
                    </span>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </Space>
  );
}
