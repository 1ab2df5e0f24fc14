import { fitness } from '@praesidor/core/hosts';
import { byName, type Host } from '@praesidor/core/model';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/Bastion.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { clock } from '../../parts/time.ts';
import { useReport } from '../../state/computed.ts';
import { useRunning } from '../../state/running.ts';
import { useScope, useTyped } from '../../state/scope.ts';
import { hostFilter } from './filter.ts';
import { HostDetail } from './HostDetail.tsx';
import { Sighted } from './Sighted.tsx';
import { SweepDialog } from './SweepDialog.tsx';

export function HostsSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const sweeps = useRunning((s) => s.sweeps);
  const [sweeping, setSweeping] = useState(params.has('sweep'));
  useEffect(() => {
    if (params.has('sweep')) setSweeping(true);
  }, [params]);
  const [text, setText] = useTyped('q');
  const sought = useDeferredValue(text);
  const filter = useMemo(() => hostFilter(sought), [sought]);
  const hosts = useMemo(
    () =>
      (estate?.hosts ?? [])
        .filter((h) => !site || h.site === site)
        .sort((a, b) => (a.site < b.site ? -1 : a.site > b.site ? 1 : byName(a, b))),
    [estate, site],
  );
  const rows = useMemo(() => hosts.filter(filter.test), [hosts, filter]);
  const known = useMemo(() => new Set(estate?.hosts.map((h) => h.bmc?.address)), [estate]);
  const sighted = (estate?.observed.sightings ?? [])
    .filter((s) => inScope(s.site) && !known.has(s.address))
    .sort((a, b) => a.address.localeCompare(b.address, 'en', { numeric: true }));
  const chosen = rows.find((h) => h.name === params.get('host'));
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && ['HST', 'KEY'].includes(f.code.slice(0, 3)));
  const set = (key: string, value: string | undefined) =>
    setParams((p) => {
      if (value) p.set(key, value);
      else p.delete(key);
      return p;
    });
  const title = estate?.sites.find((s) => s.name === site)?.title ?? 'all sites';
  const sweep = site ? sweeps[site] : undefined;
  return (
    <Space
      space="hosts"
      title="Hosts"
      facts={`${title} · ${hosts.length} listed, ${sighted.length} sighted`}
      findings={findings}
      acts={
        <Button filled onClick={() => setSweeping(true)}>
          Sweep for hosts…
        </Button>
      }
      extra={<Left hosts={hosts} />}
    >
      <div className="flex items-center gap-3 py-3">
        <input
          aria-label="Filter hosts by facts"
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder="zone:A,B memory>=64 fit:worker state:fit …"
          className="mono flex-1 border border-rule-2 bg-leaf px-2.5 py-1.5"
        />
        <span className="text-ink-2">
          {rows.length} of {hosts.length} · <kbd className="mono">J</kbd> <kbd className="mono">K</kbd>
        </span>
      </div>
      {filter.wrong.length > 0 && <div className="pb-2 text-brick">Not a fact: {filter.wrong.join('; ')}</div>}
      {sweep && sweep.done < sweep.of && (
        <div className="pb-2 text-ink-2" role="status">
          Sweeping: {sweep.done} of {sweep.of} addresses, {sweep.found} answer.
        </div>
      )}
      {sighted.length > 0 && <Sighted sightings={sighted} at={params.get('at') ?? undefined} />}
      {rows.length > 0 ? (
        <Rows
          rows={rows}
          chosen={chosen?.name}
          onChoose={(h) => set('host', h === chosen?.name ? undefined : h)}
          showSite={!site}
          registries={new Map((estate?.registries ?? []).map((r) => [r.host ?? '', r.name]))}
        />
      ) : (
        sighted.length === 0 && (
          <Empty
            title={hosts.length ? 'No host fits the filter' : 'No host is listed here'}
            act={
              hosts.length ? (
                <Button onClick={() => setText('')}>Clear the filter</Button>
              ) : (
                <Button filled onClick={() => setSweeping(true)}>
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
      {chosen && estate && <HostDetail host={chosen} estate={estate} />}
      {sweeping && estate && (
        <SweepDialog
          estate={estate}
          site={site}
          range={params.get('sweep') ?? undefined}
          onClose={() => {
            setSweeping(false);
            set('sweep', undefined);
          }}
        />
      )}
    </Space>
  );
}

const columns =
  'grid grid-cols-[minmax(110px,1.3fr)_70px_44px_50px_72px_minmax(84px,1fr)_60px_100px_100px_92px_64px] items-center gap-x-2 pl-2';

function Rows({
  rows,
  chosen,
  onChoose,
  showSite,
  registries,
}: {
  rows: Host[];
  chosen: string | undefined;
  onChoose: (name: string) => void;
  showSite: boolean;
  registries: Map<string, string>;
}) {
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 29,
    overscan: 12,
  });
  return (
    <div role="table" aria-label="Hosts">
      <div role="row" className={`${columns} border-rule-2 border-b py-1 text-ink-3 text-sm`}>
        {['Host', 'Place', 'Zone', 'Cores', 'Memory', 'Disks', 'Links', 'Control plane', 'Worker', 'Registry', 'State'].map(
          (c) => (
            <span role="columnheader" key={c}>
              {c}
            </span>
          ),
        )}
      </div>
      <div
        ref={box}
        className="overflow-auto"
        style={{ maxHeight: rows.length > 14 ? (chosen ? 410 : 'calc(100vh - 236px)') : undefined }}
      >
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map((v) => {
            const h = rows[v.index] as Host;
            const f = h.facts;
            const fits = f ? fitness(f) : [];
            return (
              <div
                role="row"
                key={h.name}
                data-row
                tabIndex={0}
                aria-selected={h.name === chosen}
                onClick={() => onChoose(h.name)}
                onKeyDown={(e) => {
                  if (e.key === 'Enter') onChoose(h.name);
                }}
                className={`${columns} absolute right-0 left-0 cursor-pointer border-rule border-b ${h.name === chosen ? 'lit' : ''}`}
                style={{ top: v.start, height: v.size }}
              >
                <span role="cell" className="truncate font-semibold">
                  {showSite && <span className="font-normal text-ink-3">{h.site} </span>}
                  {h.name}
                  <At kind="Host" name={h.name} />
                </span>
                <span role="cell" className="mono">
                  {h.rack ? `${h.rack} u${h.unit}` : '—'}
                </span>
                <span role="cell">{h.zone ?? '—'}</span>
                <span role="cell">{f?.cores ?? '?'}</span>
                <span role="cell">{f ? `${f.memoryGiB} GiB` : '?'}</span>
                <span role="cell" className="truncate">
                  {f ? `${f.disks.map((d) => (d.sizeGB / 1000).toFixed(1)).join(' + ')} TB` : '?'}
                </span>
                <span role="cell">{f ? `${f.nics.filter((n) => n.link).length} × ${f.nics[0]?.speedGbit ?? 0}` : '?'}</span>
                {(['control-plane', 'worker', 'registry'] as const).map((role) => {
                  const fit = fits.find((x) => x.role === role);
                  const held = h.held?.role === role;
                  const carries = role === 'registry' && registries.has(h.name);
                  return (
                    <span role="cell" key={role} className="flex items-center gap-1.5" title={fit?.reasons.join('\n')}>
                      {carries ? (
                        <>
                          <Mark kind="done" />
                          serves
                        </>
                      ) : !fit ? (
                        '—'
                      ) : held ? (
                        <>
                          <Mark kind={h.state === 'serving' ? 'done' : 'half'} />
                          {h.held?.charter}
                        </>
                      ) : fit.fits ? (
                        <>
                          <Mark kind="free" />
                          fits
                        </>
                      ) : (
                        <>
                          <Mark kind="failing" />
                          {fit.reasons.length} {fit.reasons.length === 1 ? 'reason' : 'reasons'}
                        </>
                      )}
                    </span>
                  );
                })}
                <span role="cell">{h.state}</span>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function Left({ hosts }: { hosts: Host[] }) {
  const free = hosts.filter((h) => h.state === 'fit' && h.facts);
  const n = (role: string) => free.filter((h) => h.facts && fitness(h.facts).some((f) => f.role === role && f.fits)).length;
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
            facts last read {new Date(newest).toISOString().slice(0, 10)}, {clock(newest)}
          </div>
        )}
        <Link className="font-semibold text-verdigris" to="?q=state:fit">
          Show the free ones
        </Link>
      </div>
    </MarginPart>
  );
}
