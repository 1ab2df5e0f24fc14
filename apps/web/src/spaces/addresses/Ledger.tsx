import { formatIp, parseIp } from '@praesidor/core/address';
import type { Estate, Network, Reservation } from '@praesidor/core/model';
import { inZone, pointerName, zoneFor } from '@praesidor/core/naming';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ReactNode, useDeferredValue, useMemo, useRef } from 'react';
import { At } from '../../parts/FindingMarker.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { day } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useTyped } from '../../state/scope.ts';

const columns =
  'grid grid-cols-[100px_minmax(76px,0.9fr)_minmax(96px,1fr)_136px_minmax(88px,0.9fr)_60px_46px] items-center gap-x-2.5 pl-2';

/** What names the server gives for an address, against what the plan says. */
function useServed(estate: Estate) {
  return useMemo(() => {
    const values = new Map<string, Map<string, string[]>>();
    for (const [zone, seen] of Object.entries(estate.observed.zones)) {
      const map = new Map<string, string[]>();
      if (!seen.error)
        for (const r of seen.records) map.set(`${r.name} ${r.type}`, [...(map.get(`${r.name} ${r.type}`) ?? []), r.value]);
      values.set(zone, map);
    }
    return (name: string, type: string, value: string): ReactNode => {
      const zone = zoneFor(name, estate.zones);
      const seen = zone && estate.observed.zones[zone.name];
      if (!zone) return <span className="text-ink-3">no zone</span>;
      if (!seen || seen.error) return <span className="text-ink-3">not read</span>;
      const found = values.get(zone.name)?.get(`${name} ${type}`) ?? [];
      if (found.includes(value)) return 'served';
      return <span className="text-ochre">{found.length ? `serves ${found.join(', ')}` : 'not sent'}</span>;
    };
  }, [estate]);
}

/** Reservations of a network as rows; found by any of their words. Only what is in sight is drawn. */
export function Ledger({
  network,
  estate,
  lit,
  chosen,
  onChoose,
}: {
  network: Network;
  estate: Estate;
  lit: (address: string) => boolean;
  chosen: string | undefined;
  onChoose: (address: string | undefined) => void;
}) {
  const [text, setText] = useTyped('q');
  const sought = useDeferredValue(text).toLowerCase().split(/\s+/).filter(Boolean).join(' ');
  const all = useMemo(
    () =>
      estate.reservations
        .filter((r) => r.network === network.name)
        .map((r) => ({
          r,
          n: parseIp(r.address).n,
          words:
            `${r.address} ${r.name ?? ''} ${r.mac ?? ''} ${r.owner.kind} ${r.owner.name} ${r.owner.use ?? ''} ${r.note ?? ''} ${r.resting ? 'resting' : ''}`.toLowerCase(),
        }))
        .sort((a, b) => (a.n < b.n ? -1 : 1)),
    [estate, network],
  );
  const rows = useMemo(
    () => (sought ? all.filter(({ words }) => sought.split(' ').every((w) => words.includes(w))) : all),
    [all, sought],
  );
  const served = useServed(estate);
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 30,
    overscan: 10,
  });
  if (!all.length) return <p className="pt-4 text-ink-2">Nothing is reserved in {network.name}.</p>;
  const below = estate.zones;
  return (
    <div className="pt-3">
      {all.length > 8 && (
        <div className="flex items-center gap-3 pb-1.5">
          <input
            aria-label="Find in the ledger"
            value={text}
            onChange={(e) => setText(e.target.value)}
            placeholder="an address, a name, a MAC, an owner, resting …"
            className="mono w-[330px] border border-rule-2 bg-leaf px-2 py-1"
          />
          <span className="text-ink-2">
            {rows.length} of {all.length}
          </span>
        </div>
      )}
      <div role="table" aria-label="Ledger" aria-rowcount={rows.length}>
        <div role="row" className={`${columns} border-rule-2 border-b py-1 text-ink-3 text-sm`}>
          {['Address', 'Name', 'Owner', 'MAC', 'Forward', 'Reverse', 'Since'].map((c) => (
            <span role="columnheader" key={c}>
              {c}
            </span>
          ))}
        </div>
        <div ref={box} className="overflow-auto" style={{ maxHeight: rows.length > 11 ? 330 : undefined }}>
          <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
            {virtual.getVirtualItems().map((v) => {
              const r = rows[v.index]?.r as Reservation;
              return (
                <div
                  role="row"
                  key={r.address}
                  data-row
                  data-edit={`Reservation ${r.network}/${r.address}`}
                  tabIndex={0}
                  aria-selected={r.address === chosen || lit(r.address)}
                  onClick={() => onChoose(r.address === chosen ? undefined : r.address)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter' && e.target === e.currentTarget) onChoose(r.address === chosen ? undefined : r.address);
                  }}
                  className={`${columns} absolute right-0 left-0 cursor-pointer border-rule border-b ${r.address === chosen || lit(r.address) ? 'lit' : ''}`}
                  style={{ top: v.start, height: v.size }}
                >
                  <Row r={r} estate={estate} served={served} below={below} />
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}

function Row({
  r,
  estate,
  served,
  below,
}: {
  r: Reservation;
  estate: Estate;
  served: (name: string, type: string, value: string) => ReactNode;
  below: readonly { name: string }[];
}) {
  const cell = 'min-w-0 truncate';
  const named = r.name && !r.resting ? r.name : undefined;
  return (
    <>
      <span role="cell" className={`mono ${cell}`}>
        <Copy text={r.address} />
      </span>
      <span role="cell" className={cell} title={r.name}>
        {r.resting ? (
          <span className="text-ink-3">resting, free {r.until ? day(r.until) : 'when set free'}</span>
        ) : r.name ? (
          <Copy text={r.name}>{short(r.name, estate)}</Copy>
        ) : (
          '—'
        )}
        <At kind="Reservation" name={`${r.network}/${r.address}`} />
      </span>
      <span role="cell" className={`${cell} ${r.origin === 'follows' ? 'follows' : ''}`} title={r.note}>
        {r.origin === 'follows'
          ? `↳ ${r.owner.name}${r.owner.use ? `, ${r.owner.use}` : ''}`
          : `${{ imported: 'imported', sighted: 'seen on the wire' }[r.origin as string] ?? 'by hand'}, ${r.owner.name}`}
      </span>
      <span role="cell" className={`mono ${cell}`}>
        {r.mac ?? '—'}
      </span>
      <span role="cell" className={cell}>
        {named ? served(named, parseIp(r.address).v === 4 ? 'A' : 'AAAA', formatIp(parseIp(r.address))) : '—'}
      </span>
      <span role="cell" className={cell}>
        {named && !named.startsWith('*') ? served(pointerName(r.address, below), 'PTR', named) : '—'}
      </span>
      <span role="cell">{r.since && <When at={r.since} as="day" />}</span>
    </>
  );
}

const short = (name: string, estate: Estate) => {
  const z = estate.zones.filter((x) => inZone(name, x.name)).sort((a, b) => b.name.length - a.name.length)[0];
  return z ? name.slice(0, -z.name.length - 1) || name : name;
};
