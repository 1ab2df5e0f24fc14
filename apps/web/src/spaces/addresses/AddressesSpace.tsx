import { formatIp, parsePrefix, prefixRange, size, spaceOf } from '@praesidor/core/address';
import type { Estate, Network, Reservation } from '@praesidor/core/model';
import { inZone, reverseName } from '@praesidor/core/naming';
import { useEffect, useMemo, useState } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/Bastion.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { day } from '../../parts/time.ts';
import { useAct } from '../../state/act.ts';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { cellsOf } from './cells.ts';
import { PrefixMap } from './PrefixMap.tsx';
import { ReserveDialog } from './ReserveDialog.tsx';

const purposes = ['machine', 'management', 'provisioning', 'storage', 'tunnel', 'uplink', 'service'] as const;

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
  const network =
    networks.find((n) => n.name === params.get('net')) ?? networks.find((n) => n.site === 'lr' && !site) ?? networks[0];
  const [selected, setSelected] = useState<[number, number]>();
  const [reserving, setReserving] = useState<'next' | 'selected'>();
  const cells = useMemo(() => (network && estate ? cellsOf(network, estate) : []), [network, estate]);
  const at = params.get('at');
  useEffect(() => {
    if (at) {
      const i = cells.findIndex((c) => c.address === at);
      if (i >= 0) setSelected([i, i]);
    }
  }, [at, cells]);
  const findings = (report.data?.findings ?? []).filter(
    (f) => inScope(f.site) && ['NET', 'ADR', 'DNS'].includes(f.code.slice(0, 3)),
  );
  if (!estate)
    return (
      <Space space="addresses" title="Addresses" findings={[]}>
        {null}
      </Space>
    );
  const pick = selected ? cells.slice(Math.min(...selected), Math.max(...selected) + 1) : [];
  return (
    <Space
      space="addresses"
      title="Addresses"
      findings={findings}
      facts={`${estate.sites.find((s) => s.name === site)?.title ?? 'all sites'} · ${networks.length} networks · ${estate.reservations.filter((r) => networks.some((n) => n.name === r.network)).length} reserved`}
      acts={
        <>
          <LinkButton to={scoped('/addresses/names', site)}>Names</LinkButton>
          <Button filled disabled={!network} onClick={() => setReserving(pick.length ? 'selected' : 'next')}>
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
          <Networks
            networks={networks}
            estate={estate}
            chosen={network.name}
            onChoose={(n) => {
              setSelected(undefined);
              setParams((p) => {
                p.set('net', n);
                p.delete('at');
                return p;
              });
            }}
            showSite={!site}
          />
          <div className="min-w-0">
            <div className="flex items-baseline gap-2.5 pb-1.5">
              <h2 className="text-lg">{network.name}</h2>
              <span className="mono text-ink-2">
                {network.prefix} · {network.gateway ? `gateway ${network.gateway}` : 'no gateway'} · MTU {network.mtu}
                {network.vlan ? ` · VLAN ${network.vlan}` : ''}
              </span>
              <At kind="Network" name={network.name} />
            </div>
            {cells.length ? (
              <PrefixMap
                cells={cells}
                selected={selected}
                onSelect={setSelected}
                onReserve={() => setReserving('selected')}
                onNextFree={() => setReserving('next')}
              />
            ) : (
              <p className="text-ink-2">
                {String(size(prefixRange(parsePrefix(network.prefix))))} addresses: too many for a cell each; the ledger below
                lists what is taken.
              </p>
            )}
            <Ledger network={network} estate={estate} lit={pick.map((c) => c.address)} />
          </div>
        </div>
      )}
      {reserving && network && (
        <ReserveDialog
          network={network}
          estate={estate}
          chosen={reserving === 'selected' ? pick.map((c) => c.address) : []}
          onClose={() => setReserving(undefined)}
        />
      )}
    </Space>
  );
}

function Networks({
  networks,
  estate,
  chosen,
  onChoose,
  showSite,
}: {
  networks: Network[];
  estate: Estate;
  chosen: string;
  onChoose: (n: string) => void;
  showSite: boolean;
}) {
  const first = networks.find((n) => n.purpose === 'machine') ?? networks[0];
  return (
    <nav aria-label="Networks">
      {purposes
        .filter((p) => networks.some((n) => n.purpose === p))
        .map((p) => (
          <div key={p} className="pb-2">
            <h2 className="pb-1 text-md first-letter:uppercase">{p}</h2>
            {networks
              .filter((n) => n.purpose === p)
              .map((n) => {
                const full = spaceOf(
                  { ...n, dhcp: [], pools: [] },
                  estate.reservations.filter((r) => r.network === n.name).map((r) => r.address),
                ).fullness();
                return (
                  <button
                    type="button"
                    data-row
                    key={n.name}
                    onClick={() => onChoose(n.name)}
                    aria-current={n.name === chosen}
                    className={`block w-full px-2.5 py-1 text-left ${n.name === chosen ? 'lit' : ''}`}
                  >
                    <span className="flex justify-between">
                      {n.name}
                      <span>{n.vlan}</span>
                    </span>
                    <span className="mono flex justify-between text-[11.5px]! text-ink-2">
                      <span>{n.prefix}</span>
                      <span>{Math.round(full * 100)} %</span>
                    </span>
                    <span className="mt-0.5 block h-[3px] bg-rule-2/40">
                      <span
                        className={`block h-full ${full > 0.7 ? 'bg-ochre' : 'bg-slate'}`}
                        style={{ width: `${full * 100}%` }}
                      />
                    </span>
                  </button>
                );
              })}
          </div>
        ))}
      {first && !showSite && <NextPrefix networks={networks} first={first} />}
    </nav>
  );
}

/** The next prefix of the same length as a site's machine network that overlaps none of its networks. */
function NextPrefix({ networks, first }: { networks: Network[]; first: Network }) {
  const p = parsePrefix(first.prefix);
  const step = 1n << BigInt((p.v === 4 ? 32 : 128) - p.length);
  const taken = networks.map((n) => prefixRange(parsePrefix(n.prefix)));
  let n = p.n + step;
  for (let i = 0; i < 4096 && taken.some((t) => t.v === p.v && t.first <= n + step - 1n && n <= t.last); i++) n += step;
  return (
    <div className="pt-2 text-ink-3 text-sm">
      Next free /{p.length} at this site
      <div className="mono follows">
        ↳ {formatIp({ v: p.v, n })}/{p.length}
      </div>
    </div>
  );
}

function Ledger({ network, estate, lit }: { network: Network; estate: Estate; lit: string[] }) {
  const rows = estate.reservations
    .filter((r) => r.network === network.name)
    .sort((a, b) => a.address.localeCompare(b.address, 'en', { numeric: true }));
  const release = useAct(
    (r: Reservation) => api<{ act: number }>('POST', '/api/addresses/release', { network: r.network, address: r.address }),
    (_, r) => `${r.address} released.`,
  );
  const served = (name: string, type: string, value: string) => {
    const zone = estate.zones.filter((z) => inZone(name, z.name)).sort((a, b) => b.name.length - a.name.length)[0];
    const seen = zone && estate.observed.zones[zone.name];
    if (!zone) return <span className="text-ink-3">no zone</span>;
    if (!seen || seen.error) return <span className="text-ink-3">not read</span>;
    const found = seen.records.filter((x) => x.name === name && x.type === type).map((x) => x.value);
    return found.includes(value) ? (
      'served'
    ) : found.length ? (
      <span className="text-ochre">serves {found.join(', ')}</span>
    ) : (
      <span className="text-ochre">not sent</span>
    );
  };
  if (!rows.length) return <p className="pt-4 text-ink-2">Nothing is reserved in {network.name}.</p>;
  return (
    <table className="grid-table mt-3" aria-label="Ledger">
      <thead>
        <tr>
          <th>Address</th>
          <th>Name</th>
          <th>Owner</th>
          <th>MAC</th>
          <th>Forward</th>
          <th>Reverse</th>
          <th>Since</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.address} data-row tabIndex={-1} aria-selected={lit.includes(r.address)} className="group">
            <td className="mono">
              <Copy text={r.address} />
            </td>
            <td className="max-w-[200px] truncate" title={r.name}>
              {r.name ? <Copy text={r.name}>{short(r.name, estate)}</Copy> : '—'}
              <At kind="Reservation" name={`${r.network}/${r.address}`} />
            </td>
            <td className={r.origin === 'follows' ? 'follows' : ''}>
              {r.origin === 'follows' ? `↳ ${r.owner.name}, ${r.owner.use}` : `by hand, ${r.owner.name}`}
            </td>
            <td className="mono">{r.mac ?? '—'}</td>
            <td>{r.name ? served(r.name, 'A', r.address) : '—'}</td>
            <td>{r.name && !r.name.startsWith('*') ? served(reverseName(r.address), 'PTR', r.name) : '—'}</td>
            <td>{r.since ? day(r.since) : ''}</td>
            <td className="text-right">
              <button
                type="button"
                className="text-ink-3 opacity-0 focus:opacity-100 group-hover:opacity-100"
                disabled={release.isPending}
                onClick={() => release.mutate(r)}
              >
                release
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const short = (name: string, estate: Estate) => {
  const z = estate.zones.filter((x) => inZone(name, x.name)).sort((a, b) => b.name.length - a.name.length)[0];
  return z ? name.slice(0, -z.name.length - 1) || name : name;
};
