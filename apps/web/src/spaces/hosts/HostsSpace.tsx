import { complete, type Fitness, hostFilter } from '@praesidor/core/hosts';
import { byName, type Host } from '@praesidor/core/model';
import { memo, useCallback, useDeferredValue, useEffect, useMemo, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useReport } from '../../state/computed.ts';
import { useRunning } from '../../state/running.ts';
import { scoped, useScope, useTyped } from '../../state/scope.ts';
import { FilterField } from '../../parts/FilterField.tsx';
import { SavedFilters } from '../../parts/SavedFilters.tsx';
import { HostDetail } from './HostDetail.tsx';
import { HostTable, type Sort } from './HostTable.tsx';
import { ImportDialog } from './ImportDialog.tsx';
import { useJudge } from './judge.ts';
import { SelectionBar } from './SelectionBar.tsx';
import { Sighted } from './Sighted.tsx';
import { SubNav } from './SubNav.tsx';
import { SweepDialog } from './SweepDialog.tsx';
import { Works } from './Works.tsx';
import { useWorks } from './works.ts';

const amounts: Partial<Record<Sort, (h: Host) => number>> = {
  cores: (h) => h.facts?.cores ?? -1,
  memory: (h) => h.facts?.memoryGiB ?? -1,
  disks: (h) => h.facts?.disks.reduce((n, d) => n + d.sizeGB, 0) ?? -1,
  links: (h) => h.facts?.nics[0]?.speedGbit ?? -1,
};
const words: Partial<Record<Sort, (h: Host) => string>> = {
  zone: (h) => h.zone ?? '',
  state: (h) => h.state,
  place: (h) => `${h.rack ?? '~'} ${String(h.unit ?? 0).padStart(3, '0')}`,
};

function sorted(hosts: readonly Host[], sort: string): readonly Host[] {
  const by = sort.replace('-', '') as Sort;
  const turn = sort.startsWith('-') ? -1 : 1;
  const amount = amounts[by];
  const word = words[by];
  if (amount) return [...hosts].sort((a, b) => turn * (amount(a) - amount(b)));
  if (word) return [...hosts].sort((a, b) => turn * (word(a) < word(b) ? -1 : word(a) > word(b) ? 1 : 0));
  return by === 'name' && turn < 0 ? [...hosts].reverse() : hosts;
}

const rolesAsked = ['control-plane', 'worker', 'storage', 'registry', 'edge'];

export function HostsSpace() {
  const { site, inScope, params, setParams } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const works = useWorks();
  const judge = useJudge();
  const sweeps = useRunning((s) => s.sweeps);
  const [doing, setDoing] = useState<'sweep' | 'import' | undefined>(params.has('sweep') ? 'sweep' : undefined);
  useEffect(() => {
    if (params.has('sweep')) setDoing('sweep');
    if (params.has('import')) setDoing('import');
  }, [params]);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [text, setText] = useTyped('q');
  const sought = useDeferredValue(text);
  const filter = useMemo(() => hostFilter(sought, judge), [sought, judge]);
  const sort = params.get('sort') ?? '';
  const hosts = useMemo(
    () =>
      (estate?.hosts ?? [])
        .filter((h) => !site || h.site === site)
        .sort((a, b) => (a.site < b.site ? -1 : a.site > b.site ? 1 : byName(a, b))),
    [estate, site],
  );
  const offers = useCallback((t: string, cursor: number) => complete(t, cursor, hosts, rolesAsked), [hosts]);
  const rows = useMemo(() => sorted(hosts.filter(filter.test), sort), [hosts, filter, sort]);
  const registries = useMemo(() => new Map((estate?.registries ?? []).map((r) => [r.host ?? '', r.name])), [estate]);
  const known = useMemo(() => new Set(estate?.hosts.flatMap((h) => (h.bmc?.fingerprint ? [h.bmc.address] : []))), [estate]);
  const sighted = (estate?.observed.sightings ?? [])
    .filter((s) => inScope(s.site) && !known.has(s.address))
    .sort((a, b) => a.address.localeCompare(b.address, 'en', { numeric: true }));
  const chosen = rows.find((h) => h.name === params.get('host'));
  const all = report.data?.findings;
  const findings = useMemo(
    () => (all ?? []).filter((f) => (!site || f.site === site) && ['HST', 'KEY'].includes(f.code.slice(0, 3))),
    [all, site],
  );
  const set = useCallback(
    (key: string, value: string | undefined) =>
      setParams((p) => {
        if (value) p.set(key, value);
        else p.delete(key);
        return p;
      }),
    [setParams],
  );
  const shown = params.get('host');
  const onChoose = useCallback((h: string) => set('host', h === shown ? undefined : h), [set, shown]);
  const onOpen = useCallback((h: string) => void navigate(scoped(`/hosts/${h}`, site)), [navigate, site]);
  const onPick = useCallback(
    (name: string, on: boolean) =>
      setPicked((p) => {
        const n = new Set(p);
        if (on) n.add(name);
        else n.delete(name);
        return n;
      }),
    [],
  );
  const title = estate?.sites.find((s) => s.name === site)?.title ?? 'all sites';
  const sweep = site ? sweeps[site] : undefined;
  const stopSweep = useCall<object>(
    () => ({ method: 'POST', path: '/api/hosts/sweep/stop', body: { site } }),
    'The sweep ends; what it found stays.',
  );
  const mine = rows.filter((h) => picked.has(h.name));
  const running = (works.data ?? []).filter((w) => w.state === 'running' || w.state === 'stopping');
  const broken = (works.data ?? []).filter((w) => w.state === 'failed').slice(0, 2);
  return (
    <Space
      space="hosts"
      sheets={<SubNav site={site} />}
      title="Hosts"
      facts={`${title} · ${hosts.length} listed, ${sighted.length} sighted`}
      findings={findings}
      acts={
        <>
          <Button data-key="i" onClick={() => setDoing('import')}>
            Import CSV…
          </Button>
          <Button filled data-key="s" onClick={() => setDoing('sweep')}>
            Sweep for hosts…
          </Button>
        </>
      }
      extra={
        <>
          <Left hosts={hosts} judge={judge} />
          {(running.length > 0 || broken.length > 0) && (
            <MarginPart title="Under way">
              <Works works={[...running, ...broken]} />
            </MarginPart>
          )}
        </>
      }
    >
      <div className="flex items-start gap-3 py-3">
        <FilterField
          of="hosts"
          example="zone:A,B memory>=64GiB fit:worker state:fit disk.nvme>=2"
          text={text}
          onText={setText}
          filter={filter}
          complete={offers}
        />
        <span className="pt-1.5 text-ink-2">
          {rows.length} of {hosts.length} · <kbd className="mono">J</kbd> <kbd className="mono">K</kbd>
        </span>
      </div>
      <SavedFilters page="/hosts" keys={['q', 'sort']} />
      {sweep && sweep.done < sweep.of && (
        <div className="pb-2 text-ink-2" role="status">
          Sweeping: {sweep.done} of {sweep.of} addresses, {sweep.found} answer.
          <Button quiet className="ml-3 py-0!" onClick={() => stopSweep.mutate()}>
            Stop
          </Button>
        </div>
      )}
      {mine.length > 0 && estate && (
        <div className="pb-2.5">
          <SelectionBar hosts={mine} estate={estate} onClear={() => setPicked(new Set())} />
        </div>
      )}
      {sighted.length > 0 && estate && <Sighted sightings={sighted} at={params.get('at') ?? undefined} hosts={estate.hosts} />}
      {rows.length > 0 ? (
        <HostTable
          rows={rows}
          chosen={chosen?.name}
          picked={picked}
          sort={sort}
          onSort={(by) => set('sort', sort === by ? `-${by}` : sort === `-${by}` ? undefined : by)}
          onChoose={onChoose}
          onOpen={onOpen}
          onPick={onPick}
          onPickAll={(on) => setPicked(on ? new Set(rows.map((h) => h.name)) : new Set())}
          showSite={!site}
          registries={registries}
          judge={judge}
        />
      ) : (
        sighted.length === 0 && (
          <Empty
            title={hosts.length ? 'No host fits the filter' : 'No host is listed here'}
            act={
              hosts.length ? (
                <Button onClick={() => setText('')}>Clear the filter</Button>
              ) : (
                <Button filled onClick={() => setDoing('sweep')}>
                  Sweep for hosts…
                </Button>
              )
            }
          >
            {hosts.length
              ? 'Take a fact out of the filter above.'
              : 'Machines answer on the management network. A sweep finds their controllers; you accept each certificate once; then their facts are read.'}
          </Empty>
        )
      )}
      {chosen && estate && <HostDetail host={chosen} estate={estate} judge={judge} />}
      {doing === 'import' && <ImportDialog site={site} onClose={() => setDoing(undefined)} />}
      {doing === 'sweep' && estate && (
        <SweepDialog
          estate={estate}
          site={site}
          range={params.get('sweep') ?? undefined}
          onClose={() => {
            setDoing(undefined);
            set('sweep', undefined);
          }}
        />
      )}
    </Space>
  );
}

const Left = memo(function Left({ hosts, judge }: { hosts: readonly Host[]; judge: (h: Host) => Fitness[] }) {
  const free = hosts.filter((h) => h.state === 'fit' && h.facts);
  const n = (role: string) => free.filter((h) => judge(h).some((f) => f.role === role && f.fits)).length;
  const newest = hosts
    .map((h) => h.facts?.at ?? '')
    .sort()
    .at(-1);
  if (!hosts.length) return null;
  return (
    <MarginPart title="Free here">
      <div className="leading-relaxed text-ink-2">
        <div>
          {n('control-plane')} fit for control plane, {n('worker')} for worker
        </div>
        <div>
          {free.reduce((s, h) => s + (h.facts?.cores ?? 0), 0)} cores and{' '}
          {free.reduce((s, h) => s + (h.facts?.memoryGiB ?? 0), 0)} GiB promised to nobody
        </div>
        {newest && (
          <div>
            facts last read <When at={newest} as="both" />
          </div>
        )}
        <Link className="font-semibold text-verdigris" to="?q=state:fit">
          Show the free ones
        </Link>
      </div>
    </MarginPart>
  );
});
