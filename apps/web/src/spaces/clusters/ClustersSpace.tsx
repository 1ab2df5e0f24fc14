import { clusterFilter, type ClusterRow, clusterRows, completeCluster } from '@praesidor/core/charter';
import { stateText, underWay } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { useCallback, useDeferredValue, useMemo } from 'react';
import { Link, useNavigate } from 'react-router';
import { useBuilds, useDrifts, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { SavedFilters } from '../../parts/SavedFilters.tsx';
import { FilterField } from '../../parts/FilterField.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope, useTyped } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

const columns = ['name', 'site', 'team', 'release', 'state', 'hosts', 'cores', 'certificates', 'proof'] as const;
type Column = (typeof columns)[number];
const heads: Record<Column, string> = {
  name: 'Cluster',
  site: 'Site',
  team: 'Team',
  release: 'Release',
  state: 'State',
  hosts: 'Hosts',
  cores: 'Usable',
  certificates: 'Certificates',
  proof: 'Proof',
};
const stateOrder = { failed: 0, building: 1, serving: 2, held: 3, declared: 4 };
/** What a column is sorted by; what is not known comes last. */
const by: Record<Column, (r: ClusterRow) => string | number> = {
  name: (r) => r.charter.name,
  site: (r) => r.charter.site,
  team: (r) => r.charter.team ?? '~',
  release: (r) => r.charter.release,
  state: (r) => stateOrder[r.state],
  hosts: (r) => r.hosts,
  cores: (r) => r.cores,
  certificates: (r) => r.days ?? Number.POSITIVE_INFINITY,
  proof: (r) => (r.proved ? r.proved.holds / r.proved.of : 2),
};
const compare = (a: string | number, b: string | number) =>
  typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b), 'en', { numeric: true });
/** Days before its end at which a certificate is minded. */
const soon = 30;

/** All clusters: how each stands, what it runs, what it has, and what was measured of it last. */
export function ClustersSpace() {
  const { inScope, site, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const builds = useBuilds();
  const measured = useDrifts();
  const [text, setText] = useTyped('q');
  const sought = useDeferredValue(text);
  const sort = params.get('sort') ?? '';
  const findings = report.data?.findings;
  const all = useMemo(
    () =>
      estate
        ? clusterRows(estate, {
            findings: findings ?? [],
            proved: measured.data?.proved ?? [],
            runs: (builds.data ?? []).map((b) => ({ charter: b.charter, underWay: underWay(b), failed: b.state === 'failed' })),
          })
        : [],
    [estate, findings, measured.data, builds.data],
  );
  const here = useMemo(() => all.filter((r) => !site || r.charter.site === site), [all, site]);
  const filter = useMemo(() => clusterFilter(sought), [sought]);
  const offers = useCallback((t: string, cursor: number) => completeCluster(t, cursor, here), [here]);
  const rows = useMemo(() => {
    const column = columns.find((c) => c === sort.replace(/^-/, '')) ?? 'name';
    const found = here.filter(filter.test).sort((a, b) => compare(by[column](a), by[column](b)));
    return sort.startsWith('-') ? found.reverse() : found;
  }, [here, filter, sort]);
  const onSort = (column: Column) => {
    const next = new URLSearchParams(params);
    const to = sort === column ? `-${column}` : sort === `-${column}` ? '' : column;
    if (to) next.set('sort', to);
    else next.delete('sort');
    setParams(next, { replace: true });
  };
  return (
    <Space
      space="clusters"
      sheets={<SubNav site={site} />}
      title="Clusters"
      facts={counted(here.length, 'cluster')}
      findings={(findings ?? []).filter((f) =>
        f.charters.some((c) => rows.some((r) => r.charter.name === c && inScope(r.charter.site))),
      )}
      acts={
        <>
          <LinkButton to={scoped('/clusters/existing', site)}>Take in a cluster…</LinkButton>
          <LinkButton to={scoped('/clusters/new', site)}>New charter…</LinkButton>
        </>
      }
    >
      {estate && !here.length ? (
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
        <>
          <div className="flex items-start gap-3 py-3">
            <FilterField
              of="clusters"
              example="state:serving team:aboard certificates<30 proof:fails"
              text={text}
              onText={setText}
              filter={filter}
              complete={offers}
            />
            <span className="pt-1.5 text-ink-2">
              {rows.length} of {here.length}
            </span>
          </div>
          <SavedFilters page="/clusters" keys={['q']} />
          {estate && !rows.length ? (
            <Empty title="No cluster fits the filter" act={<Button onClick={() => setText('')}>Clear the filter</Button>}>
              Take a fact out of the filter above.
            </Empty>
          ) : (
            <table className="grid-table" aria-label="Clusters">
              <thead>
                <tr>
                  {columns.map((c) => (
                    <th key={c} aria-sort={sort === c ? 'ascending' : sort === `-${c}` ? 'descending' : undefined}>
                      <button type="button" className="hover:underline" onClick={() => onSort(c)}>
                        {heads[c]}
                        {sort === c ? ' ↑' : sort === `-${c}` ? ' ↓' : ''}
                      </button>
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <Row
                    key={r.charter.name}
                    r={r}
                    siteTitle={estate?.sites.find((s) => s.name === r.charter.site)?.title ?? r.charter.site}
                    run={builds.data?.find((b) => b.charter === r.charter.name)}
                    site={site}
                  />
                ))}
              </tbody>
            </table>
          )}
        </>
      )}
    </Space>
  );
}

type Run = NonNullable<ReturnType<typeof useBuilds>['data']>[number];
function Row({ r, siteTitle, run, site }: { r: ClusterRow; siteTitle: string; run: Run | undefined; site: string }) {
  const navigate = useNavigate();
  const c = r.charter;
  const to = scoped(`/clusters/${c.name}`, site);
  const fails = r.proved ? r.proved.of - r.proved.holds : 0;
  const bad = r.state === 'failed' || fails > 0 || (run !== undefined && underWay(run) && run.failed > 0);
  const other = r.runs.filter((v) => v !== c.release);
  return (
    <tr
      data-row
      tabIndex={0}
      className="cursor-pointer"
      onClick={() => void navigate(to)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') void navigate(to);
      }}
    >
      <td>
        <span className="font-semibold">{c.name}</span>
        <At kind="Charter" name={c.name} />
        <span className="block text-ink-2 text-sm">{c.purpose}</span>
      </td>
      <td>{siteTitle}</td>
      <td>{c.team ?? <span className="text-ink-3">none</span>}</td>
      <td className="mono">
        {c.release}
        {other.length > 0 && <span className="block text-ochre text-sm">runs {other.join(', ')}</span>}
      </td>
      <td>
        <span className="flex items-center gap-1.5">
          <Mark kind={bad ? 'failing' : r.state === 'serving' ? 'done' : r.state === 'declared' ? 'free' : 'half'} />
          {r.state === 'building' && run
            ? `${run.title ?? `build ${run.number}`}: ${stateText[run.state]}${run.failed ? ', with failed steps' : ''}`
            : r.state}
        </span>
        {r.stops > 0 && <span className="block text-brick text-sm">{counted(r.stops, 'finding stops', 'findings stop')} it</span>}
      </td>
      <td>
        {r.hosts} of {r.planned}
      </td>
      <td className="whitespace-nowrap">
        {r.cores || r.memoryGiB ? (
          <>
            {counted(r.cores, 'core')}
            <span className="block text-ink-2 text-sm">{r.memoryGiB} GiB</span>
          </>
        ) : (
          <span className="text-ink-3">—</span>
        )}
      </td>
      <td className={r.days !== undefined && r.days < soon ? 'text-brick' : ''}>
        {r.days === undefined ? <span className="text-ink-3">—</span> : r.days < 0 ? 'ended' : `${counted(r.days, 'day')} left`}
      </td>
      <td>
        {r.proved ? (
          <Link
            className="hover:underline"
            to={scoped(`/clusters/${c.name}?tab=proof`, site)}
            onClick={(e) => e.stopPropagation()}
          >
            <span className={fails ? 'text-brick' : ''}>
              {r.proved.holds} of {r.proved.of} hold
            </span>
            <span className="block text-ink-2 text-sm">
              <When at={r.proved.at} as="both" />
            </span>
          </Link>
        ) : (
          <span className="text-ink-3">—</span>
        )}
      </td>
    </tr>
  );
}
