import { counted } from '@praesidor/core/words';
import type { Network } from '@praesidor/core/model';
import { DropdownMenu } from 'radix-ui';
import { lazy, Suspense, useCallback, useEffect, useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useLevels, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { ImportDialog } from './ImportDialog.tsx';
import { Ledger } from './Ledger.tsx';
import { mapOf, runsOf } from './map-model.ts';
import { Networks, purposes } from './Networks.tsx';
import { PrefixMap } from './PrefixMap.tsx';
import { FreePanel, ReservationPanel } from './ReservationPanel.tsx';
import { ReserveDialog } from './ReserveDialog.tsx';
import { ReshapeDialog, type Shape } from './ReshapeDialog.tsx';
import { SubNav } from './SubNav.tsx';

const Forecast = lazy(() => import('./Forecast.tsx'));
const shapes: [Shape, string][] = [
  ['carve', 'Carve out the next free child…'],
  ['split', 'Split into parts…'],
  ['merge', 'Merge with its other half…'],
  ['resize', 'Give it another prefix…'],
];
const files = [
  ['ledger.csv', 'The ledger as a table (CSV)'],
  ['kea-dhcp4.json', 'DHCP reservations for Kea'],
  ['dnsmasq.conf', 'DHCP reservations for dnsmasq'],
] as const;

export function AddressesSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const networks = useMemo(
    () =>
      (estate?.networks ?? [])
        .filter((n) => !site || n.site === site)
        .sort((a, b) => purposes.indexOf(a.purpose) - purposes.indexOf(b.purpose)),
    [estate, site],
  );
  const wanted =
    params.get('net') ??
    estate?.reservations.find((r) => r.address === params.get('at') && networks.some((n) => n.name === r.network))?.network;
  const network = networks.find((n) => n.name === wanted) ?? networks.find((n) => n.site === 'lr' && !site) ?? networks[0];
  const [selection, setSelection] = useState<{ of: string; cells: [number, number] }>();
  const [doing, setDoing] = useState<'next' | 'selected' | 'import' | Shape>();
  // A key or a link asks for the next free address, wherever somebody was.
  const asked = params.has('reserve');
  useEffect(() => {
    if (!asked || !network) return;
    setDoing('next');
    setParams(
      (p) => {
        p.delete('reserve');
        return p;
      },
      { replace: true },
    );
  }, [asked, network, setParams]);
  const map = useMemo(() => (network && estate ? mapOf(network, estate) : undefined), [network, estate]);
  const at = params.get('at') ?? undefined;
  const set = useCallback(
    (changes: Record<string, string | undefined>) =>
      setParams((p) => {
        for (const [k, v] of Object.entries(changes))
          if (v) p.set(k, v);
          else p.delete(k);
        return p;
      }),
    [setParams],
  );
  const findings = (report.data?.findings ?? []).filter(
    (f) => inScope(f.site) && ['NET', 'ADR', 'DNS'].includes(f.code.slice(0, 3)),
  );
  if (!estate)
    return (
      <Space space="addresses" title="Addresses" findings={[]}>
        {null}
      </Space>
    );
  const cells =
    selection && selection.of === network?.name
      ? selection.cells
      : at && map && map.cellOf(at) >= 0
        ? ([map.cellOf(at), map.cellOf(at)] as [number, number])
        : undefined;
  const [from, to] = cells ? [Math.min(...cells), Math.max(...cells)] : [-1, -2];
  const single = map?.scale === 1n;
  const picked =
    cells && map && single ? Array.from({ length: Math.min(256, to - from + 1) }, (_, i) => map.addressOf(from + i)) : [];
  const chosen = network && estate.reservations.find((r) => r.network === network.name && r.address === at);
  const names = new Set(networks.map((n) => n.name));
  return (
    <Space
      space="addresses"
      edits={network && `Network ${network.name}`}
      sheets={<SubNav site={site} />}
      title="Addresses"
      findings={findings}
      facts={`${estate.sites.find((s) => s.name === site)?.title ?? 'all sites'} · ${counted(networks.length, 'network')} · ${estate.reservations.filter((r) => names.has(r.network)).length.toLocaleString('en')} reserved`}
      acts={
        <>
          <Button data-key="i" onClick={() => setDoing('import')}>
            Import CSV…
          </Button>
          <Files site={site} />
          <Button filled data-key="f" disabled={!network} onClick={() => setDoing(picked.length ? 'selected' : 'next')}>
            Reserve…
          </Button>
        </>
      }
    >
      {!network ? (
        <Empty
          title="No networks are declared here"
          act={
            <LinkButton filled to={scoped('/declare?kind=Network', site)}>
              Declare a network
            </LinkButton>
          }
        >
          VLANs and prefixes come first; the ledger, the map and the names follow from them.
        </Empty>
      ) : (
        <div className="grid grid-cols-[196px_minmax(0,1fr)] gap-5.5 pt-3">
          <div>
            <Networks
              networks={networks}
              estate={estate}
              chosen={network.name}
              showSite={!site}
              onChoose={(n) => set({ net: n, at: undefined, q: undefined })}
            />
          </div>
          <div className="min-w-0">
            <Head network={network} onShape={setDoing} />
            {map ? (
              <PrefixMap
                map={map}
                selected={cells}
                onSelect={(s) => {
                  setSelection(s && { of: network.name, cells: s });
                  if (at) set({ at: undefined });
                }}
                onReserve={() => setDoing(single ? 'selected' : 'next')}
                onNextFree={() => setDoing('next')}
              />
            ) : (
              <Runs runs={runsOf(network, estate)} />
            )}
            <Ledger
              network={network}
              estate={estate}
              chosen={chosen?.address}
              lit={(a) => {
                const i = map?.cellOf(a) ?? -1;
                return i >= from && i <= to;
              }}
              onChoose={(a) => {
                setSelection(undefined);
                set({ net: network.name, at: a });
              }}
            />
            {!chosen &&
              picked.length === 1 &&
              !estate.reservations.some((r) => r.network === network.name && r.address === picked[0]) && (
                <FreePanel address={picked[0] as string} />
              )}
            {chosen && (
              <ReservationPanel
                key={`${chosen.network}/${chosen.address}`}
                reservation={chosen}
                estate={estate}
                onGone={() => set({ at: undefined })}
              />
            )}
          </div>
        </div>
      )}
      {network && (doing === 'next' || doing === 'selected') && (
        <ReserveDialog
          network={network}
          estate={estate}
          chosen={doing === 'selected' ? picked : []}
          onClose={() => setDoing(undefined)}
        />
      )}
      {doing === 'import' && <ImportDialog site={site} onClose={() => setDoing(undefined)} />}
      {network && (doing === 'carve' || doing === 'split' || doing === 'merge' || doing === 'resize') && (
        <ReshapeDialog shape={doing} network={network} estate={estate} onClose={() => setDoing(undefined)} />
      )}
    </Space>
  );
}

/** The facts of a network in a line, when it is full, and what can be made of it. */
function Head({ network, onShape }: { network: Network; onShape: (s: Shape) => void }) {
  const levels = useLevels(network.name);
  const [open, setOpen] = useState(false);
  const full = levels.data?.forecast?.full;
  const months = full ? Math.round((Date.parse(full) - Date.now()) / 86_400_000 / 30.4) : undefined;
  const said =
    months === undefined
      ? 'forecast'
      : months < 1
        ? 'full within a month'
        : months > 36
          ? `full in about ${Math.round(months / 12)} years`
          : `full in about ${counted(months, 'month')}`;
  const facts = [
    network.prefix,
    network.gateway ? `gateway ${shortOf(network.gateway)}` : 'no gateway',
    `MTU ${network.mtu}`,
    network.vlan ? `VLAN ${network.vlan}` : '',
  ].filter(Boolean);
  return (
    <div className="pb-1.5">
      <div className="flex flex-wrap items-baseline gap-x-2.5">
        <h2 className="text-lg">{network.name}</h2>
        <span className="mono text-ink-2">{facts.join(' · ')}</span>
        <button type="button" aria-expanded={open} className="follows hover:underline" onClick={() => setOpen(!open)}>
          ↳ {said}
        </button>
        <At kind="Network" name={network.name} />
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="ml-auto whitespace-nowrap text-verdigris hover:underline">
            reshape ▾
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              align="end"
              sideOffset={4}
              className="z-50 min-w-[220px] border border-rule-2 bg-paper py-1 text-ink"
            >
              <DropdownMenu.Item asChild className="block cursor-pointer px-3 py-1.5 outline-none data-highlighted:bg-leaf">
                <Link to={scoped(`/declare?edit=${encodeURIComponent(`Network ${network.name}`)}`, network.site)}>
                  Edit its document…
                </Link>
              </DropdownMenu.Item>
              {shapes.map(([shape, text]) => (
                <DropdownMenu.Item
                  key={shape}
                  className="cursor-pointer px-3 py-1.5 outline-none data-highlighted:bg-leaf"
                  onSelect={() => onShape(shape)}
                >
                  {text}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
      {open && levels.data && (
        <Suspense fallback={<p className="text-ink-3">Loading the chart…</p>}>
          <Forecast data={levels.data} name={network.name} />
        </Suspense>
      )}
    </div>
  );
}

function Files({ site }: { site: string }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="rounded-[3px] border border-rule-2 bg-leaf px-3 py-1.5 font-semibold">
        Write files
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={5}
          className="z-50 min-w-[250px] border border-rule-2 bg-paper py-1 text-ink"
        >
          {files.map(([name, text]) => (
            <DropdownMenu.Item
              key={name}
              asChild
              className="block cursor-pointer px-3 py-1.5 outline-none data-highlighted:bg-leaf"
            >
              <a href={`/api/addresses/files/${name}${site ? `?site=${site}` : ''}`} download>
                {text}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The last octet of an IPv4 address, where the prefix stands beside it. */
const shortOf = (address: string) => (address.includes(':') ? address : `.${address.split('.').at(-1)}`);

const large = (n: bigint) =>
  n < 100_000n
    ? Number(n).toLocaleString('en')
    : `about ${Number(n)
        .toExponential(1)
        .replace(/e\+(\d+)/, ' × 10^$1')}`;

/** What is occupied of a prefix that no map can hold, run by run, and how much lies free between. */
function Runs({ runs }: { runs: ReturnType<typeof runsOf> }) {
  if (!runs.length) return <p className="text-ink-2">No address of it is in use.</p>;
  return (
    <table className="grid-table" aria-label="Occupied runs">
      <thead>
        <tr>
          <th>Free before</th>
          <th>From</th>
          <th>To</th>
          <th className="text-right">Addresses</th>
          <th>What</th>
        </tr>
      </thead>
      <tbody>
        {runs.slice(0, 200).map((r) => (
          <tr key={r.from}>
            <td className="text-ink-3">{r.gap ? large(r.gap) : '—'}</td>
            <td className="mono">{r.from}</td>
            <td className="mono">{r.count > 1n ? r.to : ''}</td>
            <td className="text-right">{large(r.count)}</td>
            <td className="max-w-[220px] truncate" title={r.what}>
              {r.what}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
