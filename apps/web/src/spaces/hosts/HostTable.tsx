import { counted, gigabytesText } from '@praesidor/core/words';
import type { Fitness } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useEffect, useRef } from 'react';
import { At } from '../../parts/FindingMarker.tsx';
import type { MarkKind } from '../../parts/Mark.tsx';

const columns =
  'grid grid-cols-[16px_minmax(92px,1.2fr)_66px_38px_40px_62px_minmax(90px,1fr)_50px_92px_84px_80px_62px] items-center gap-x-2 pl-2';
const heads = [
  ['Host', 'name'],
  ['Place', 'place'],
  ['Zone', 'zone'],
  ['Cores', 'cores'],
  ['Memory', 'memory'],
  ['Disks', 'disks'],
  ['Links', 'links'],
  ['Control plane', ''],
  ['Worker', ''],
  ['Registry', ''],
  ['State', 'state'],
] as const;
export type Sort = Exclude<(typeof heads)[number][1], ''>;
const roles = ['control-plane', 'worker', 'registry'] as const;

interface Props {
  rows: readonly Host[];
  chosen: string | undefined;
  picked: ReadonlySet<string>;
  sort: string;
  onSort: (by: Sort) => void;
  onChoose: (name: string) => void;
  onOpen: (name: string) => void;
  onPick: (name: string, on: boolean) => void;
  onPickAll: (on: boolean) => void;
  showSite: boolean;
  registries: ReadonlyMap<string, string>;
  judge: (h: Host) => Fitness[];
}

/** Hosts as a table of which only what is in sight is drawn: ten thousand rows scroll as well as ten. */
export function HostTable(p: Props) {
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: p.rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 29,
    overscan: 8,
    useFlushSync: false,
  });
  // Dragged far at once, every row is another in every frame: names are enough to find one's place, the rest follows at rest.
  const offset = virtual.scrollOffset ?? 0;
  const before = useRef(0);
  const flying = virtual.isScrolling && Math.abs(offset - before.current) > 500;
  useEffect(() => {
    before.current = offset;
  }, [offset]);
  const all = p.rows.length > 0 && p.rows.every((h) => p.picked.has(h.name));
  const { onChoose, onOpen, onPick, judge, registries } = p;
  const items = virtual.getVirtualItems();
  // A row that leaves at the top comes in again below with another host's text: nothing is built or thrown away while it scrolls.
  const slots = useRef(1);
  slots.current = Math.max(slots.current, items.length);
  const choose = useCallback(onChoose, [onChoose]);
  return (
    <div role="table" aria-label="Hosts" aria-rowcount={p.rows.length + 1}>
      <div role="row" className={`${columns} border-rule-2 border-b py-1 text-ink-3 text-sm`}>
        <span role="columnheader" className="flex">
          <input type="checkbox" aria-label="pick all" checked={all} onChange={(e) => p.onPickAll(e.target.checked)} />
        </span>
        {heads.map(([label, by]) => {
          const down = p.sort === `-${by}`;
          const on = by !== '' && (p.sort === by || down);
          return (
            <span role="columnheader" key={label} aria-sort={on ? (down ? 'descending' : 'ascending') : undefined}>
              {by ? (
                <button type="button" className={on ? 'font-semibold text-ink' : 'hover:underline'} onClick={() => p.onSort(by)}>
                  {label}
                  {on ? (down ? ' ↓' : ' ↑') : ''}
                </button>
              ) : (
                label
              )}
            </span>
          );
        })}
      </div>
      <div
        ref={box}
        // Opaque, so that the browser moves what is drawn instead of drawing it anew.
        className="overflow-auto bg-paper"
        style={{ maxHeight: p.rows.length > 12 ? (p.chosen ? 262 : 'calc(100vh - 268px)') : undefined }}
      >
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {items.map((v) => {
            const h = p.rows[v.index] as Host;
            return (
              <HostRow
                key={v.index % slots.current}
                index={v.index + 2}
                host={h}
                top={v.start}
                chosen={h.name === p.chosen}
                picked={p.picked.has(h.name)}
                onChoose={choose}
                onOpen={onOpen}
                onPick={onPick}
                showSite={p.showSite}
                carries={registries.has(h.name)}
                judge={judge}
                light={flying}
              />
            );
          })}
        </div>
      </div>
    </div>
  );
}

/** The mark of a state as a box that is painted, not built: three stand in each of thousands of rows. */
const Drawn = ({ kind }: { kind: MarkKind }) => <i className={`mark mark-${kind}`} aria-hidden="true" />;

const HostRow = memo(function HostRow({
  host: h,
  top,
  chosen,
  picked,
  onChoose,
  onOpen,
  onPick,
  showSite,
  carries,
  judge,
  light,
  index,
}: {
  host: Host;
  top: number;
  chosen: boolean;
  picked: boolean;
  onChoose: (name: string) => void;
  onOpen: (name: string) => void;
  onPick: (name: string, on: boolean) => void;
  showSite: boolean;
  carries: boolean;
  judge: (h: Host) => Fitness[];
  light: boolean;
  index: number;
}) {
  const f = h.facts;
  const fits = light ? [] : judge(h);
  const pick = (e: { stopPropagation: () => void }) => {
    e.stopPropagation();
    onPick(h.name, !picked);
  };
  return (
    <div
      role="row"
      data-row
      data-edit={`Host ${h.name}`}
      aria-rowindex={index}
      tabIndex={0}
      aria-selected={chosen}
      onClick={() => onChoose(h.name)}
      onDoubleClick={() => onOpen(h.name)}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget) return;
        if (e.key === 'Enter') onOpen(h.name);
        else if (e.key === ' ') {
          e.preventDefault();
          onPick(h.name, !picked);
        }
      }}
      // A row lays out nobody but itself: thousands pass while a table is scrolled.
      className={`${columns} absolute top-0 right-0 left-0 cursor-pointer border-rule border-b contain-strict ${chosen ? 'lit' : ''}`}
      style={{ transform: `translateY(${top}px)`, height: 29 }}
    >
      {light ? (
        <span role="cell" className="col-start-2 truncate font-semibold">
          {h.name}
        </span>
      ) : (
        <>
          <span role="cell" className="flex h-full items-center" onClick={pick}>
            <span role="checkbox" aria-label={`pick ${h.name}`} aria-checked={picked} tabIndex={-1} className="pickbox" />
          </span>
          <span role="cell" className="truncate font-semibold">
            {showSite && <span className="font-normal text-ink-3">{h.site} </span>}
            {h.name}
            <At kind="Host" name={h.name} />
          </span>
          <span
            role="cell"
            className={h.guest ? 'truncate text-plum' : 'mono'}
            title={h.guest ? `guest on ${h.guest.hypervisor}` : undefined}
          >
            {h.guest ? h.guest.hypervisor : h.rack ? `${h.rack} u${h.unit}` : '—'}
          </span>
          <span role="cell">{h.zone ?? '—'}</span>
          <span role="cell">{f?.cores ?? '?'}</span>
          <span role="cell">{f ? `${f.memoryGiB} GiB` : '?'}</span>
          <span role="cell" className="truncate">
            {f ? f.disks.map((d) => gigabytesText(d.sizeGB)).join(' + ') : '?'}
          </span>
          <span role="cell">{f ? `${f.nics.filter((n) => n.link).length} × ${f.nics[0]?.speedGbit ?? 0}` : '?'}</span>
          {roles.map((role) => {
            const fit = fits.find((x) => x.role === role);
            const held = h.held?.role === role;
            return (
              <span role="cell" key={role} className="flex items-center gap-1.5" title={fit?.reasons.join('\n')}>
                {carries && role === 'registry' ? (
                  <>
                    <Drawn kind="done" />
                    serves
                  </>
                ) : !fit ? (
                  '—'
                ) : held ? (
                  <>
                    <Drawn kind={h.state === 'serving' ? 'done' : 'half'} />
                    {h.held?.charter}
                  </>
                ) : fit.fits ? (
                  <>
                    <Drawn kind="free" />
                    fits
                  </>
                ) : (
                  <>
                    <Drawn kind="failing" />
                    {counted(fit.reasons.length, 'reason')}
                  </>
                )}
              </span>
            );
          })}
          <span role="cell">{h.drained ? 'drained' : h.state}</span>
        </>
      )}
    </div>
  );
});
