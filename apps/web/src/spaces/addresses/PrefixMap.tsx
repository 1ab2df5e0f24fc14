import { type KeyboardEvent, useState } from 'react';
import type { Cell, CellKind } from './cells.ts';

const look: Record<CellKind, { className: string; hatch?: string }> = {
  free: { className: 'bg-sunk' },
  end: { className: 'border border-rule-2' },
  gateway: { className: 'bg-ink' },
  host: { className: 'bg-verdigris' },
  virtual: { className: 'bg-plum' },
  pool: { className: 'border border-plum bg-plum-tint' },
  dhcp: { className: 'hatch bg-sunk' },
  hand: { className: 'bg-ochre' },
  twice: { className: 'hatch bg-brick-tint', hatch: 'var(--brick)' },
  'virtual-pool': { className: 'border border-dotted border-plum bg-sunk' },
};
const names: [CellKind, string][] = [
  ['gateway', 'gateway'],
  ['host', 'host'],
  ['virtual', 'virtual'],
  ['virtual-pool', 'for virtual'],
  ['pool', 'service pool'],
  ['dhcp', 'DHCP scope'],
  ['hand', 'by hand'],
  ['twice', 'claimed twice'],
  ['free', 'free'],
];

/** A cell an address, 32 to a row; drag or Shift with the arrows selects, R reserves, F takes the next free one. */
export function PrefixMap({
  cells,
  selected,
  onSelect,
  onReserve,
  onNextFree,
}: {
  cells: Cell[];
  selected: [number, number] | undefined;
  onSelect: (s: [number, number] | undefined) => void;
  onReserve: () => void;
  onNextFree: () => void;
}) {
  const [dragging, setDragging] = useState(false);
  const [over, setOver] = useState<Cell>();
  const per = cells.length > 256 ? 64 : 32;
  const onKey = (e: KeyboardEvent) => {
    const [from, to] = selected ?? [0, 0];
    const move = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: per, ArrowUp: -per }[e.key];
    if (move !== undefined) {
      e.preventDefault();
      const next = Math.max(0, Math.min(cells.length - 1, to + move));
      onSelect(e.shiftKey ? [from, next] : [next, next]);
      setOver(cells[next]);
    }
    if (e.key === 'r' || e.key === 'Enter') {
      e.preventDefault();
      onReserve();
    }
    if (e.key === 'f') {
      e.preventDefault();
      onNextFree();
    }
    if (e.key === 'Escape') onSelect(undefined);
  };
  const [a, b] = selected ? [Math.min(...selected), Math.max(...selected)] : [-1, -2];
  return (
    <div>
      <div
        role="application"
        aria-label="Map of the prefix"
        aria-roledescription="address map"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the map is one control, moved through with the arrow keys
        tabIndex={0}
        onKeyDown={onKey}
        onMouseLeave={() => {
          setDragging(false);
          setOver(undefined);
        }}
        onMouseUp={() => setDragging(false)}
        className="select-none"
      >
        {Array.from({ length: Math.ceil(cells.length / per) }, (_, row) => (
          <div key={cells[row * per]?.address} className="mb-[2px] grid items-center" style={{ gridTemplateColumns: '46px 1fr' }}>
            <span className="mono pr-2 text-right text-[11px]! text-ink-3">
              .
              {cells[row * per]?.address
                .split('.')
                .slice(cells.length > 256 ? -2 : -1)
                .join('.')}
            </span>
            <div className="grid gap-[2px]" style={{ gridTemplateColumns: `repeat(${per}, minmax(0, 1fr))` }}>
              {cells.slice(row * per, row * per + per).map((c, i) => {
                const at = row * per + i;
                const on = at >= a && at <= b;
                return (
                  <div
                    key={c.address}
                    title={c.says}
                    data-kind={c.kind}
                    data-address={c.address}
                    style={look[c.kind].hatch ? ({ '--hatch': look[c.kind].hatch } as never) : undefined}
                    onMouseDown={() => {
                      setDragging(true);
                      onSelect([at, at]);
                    }}
                    onMouseEnter={() => {
                      setOver(c);
                      if (dragging && selected) onSelect([selected[0], at]);
                    }}
                    className={`h-[19px] ${look[c.kind].className} ${on ? 'outline-2 outline-ink -outline-offset-1' : ''}`}
                  />
                );
              })}
            </div>
          </div>
        ))}
      </div>
      <div className="flex flex-wrap gap-x-4 gap-y-1 pt-1.5 text-ink-2 text-sm">
        {names
          .filter(([k]) => cells.some((c) => c.kind === k))
          .map(([k, n]) => (
            <span key={k} className="flex items-center gap-1.5">
              <span
                className={`inline-block h-[11px] w-[11px] ${look[k].className}`}
                style={look[k].hatch ? ({ '--hatch': look[k].hatch } as never) : undefined}
              />
              {n}
            </span>
          ))}
      </div>
      <div className="pt-1.5 text-ink-3 text-sm" aria-live="polite">
        {over ? over.says : 'drag to select'} · <kbd className="mono">R</kbd> reserve · <kbd className="mono">F</kbd> next free
      </div>
    </div>
  );
}
