import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from 'react';
import { useView } from '../../state/view.ts';
import { type CellKind, cellKinds, type MapModel } from './map-model.ts';
import { layoutOf, type MapLayout } from './map-layout.ts';

/** How a kind is drawn: filled, framed, hatched or dotted, so that it can be told without its colour. */
const look: Record<CellKind, { fill?: string; frame?: string; hatch?: string; dotted?: boolean; name: string }> = {
  free: { fill: '--sunk', name: 'free' },
  end: { frame: '--rule-2', name: 'ends' },
  gateway: { fill: '--ink', name: 'gateway' },
  host: { fill: '--verdigris', name: 'host' },
  virtual: { fill: '--plum', name: 'virtual' },
  aside: { fill: '--sunk', frame: '--plum', dotted: true, name: 'set aside' },
  pool: { fill: '--plum-tint', frame: '--plum', name: 'service pool' },
  dhcp: { fill: '--sunk', hatch: '--rule-2', name: 'DHCP scope' },
  hand: { fill: '--ochre', name: 'by hand' },
  resting: { fill: '--sunk', hatch: '--ochre', name: 'resting' },
  carved: { frame: '--slate', fill: '--slate-tint', name: 'carved out' },
  twice: { fill: '--brick-tint', hatch: '--brick', name: 'claimed twice' },
};
const legend: CellKind[] = ['gateway', 'host', 'virtual', 'aside', 'pool', 'dhcp', 'hand', 'resting', 'carved', 'twice', 'free'];

interface Props {
  map: MapModel;
  selected: [number, number] | undefined;
  onSelect: (s: [number, number] | undefined) => void;
  onReserve: () => void;
  onNextFree: () => void;
}

/** A cell an address on a canvas; drag or Shift with the arrows selects, R reserves, F takes the next free one. */
export function PrefixMap({ map, selected, onSelect, onReserve, onNextFree }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(700);
  const [over, setOver] = useState(-1);
  const drag = useRef<number | undefined>(undefined);
  const theme = useView((s) => s.theme);
  const count = map.kinds.length;
  const layout = useMemo(() => layoutOf(count, width), [count, width]);
  useEffect(() => {
    const box = canvas.current?.parentElement;
    if (!box) return undefined;
    const seen = new ResizeObserver(() => setWidth(box.clientWidth));
    seen.observe(box);
    return () => seen.disconnect();
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the colours that are read from the page
  useEffect(() => {
    if (canvas.current) draw(canvas.current, map, layout);
  }, [map, layout, theme]);
  const cellAt = (e: PointerEvent<HTMLCanvasElement>) => layout.hit(e.nativeEvent.offsetX, e.nativeEvent.offsetY);
  const onKey = (e: KeyboardEvent) => {
    const [from, to] = selected ?? [0, -1];
    const move = {
      ArrowRight: 1,
      ArrowLeft: -1,
      ArrowDown: layout.row,
      ArrowUp: -layout.row,
      PageDown: layout.row * 8,
      PageUp: -layout.row * 8,
    }[e.key];
    const end = { Home: 0, End: count - 1 }[e.key];
    if (move !== undefined || end !== undefined) {
      e.preventDefault();
      const next = end ?? Math.max(0, Math.min(count - 1, selected ? to + (move ?? 0) : 0));
      onSelect(e.shiftKey && selected ? [from, next] : [next, next]);
      setOver(next);
    }
    if (e.key === 'r' || e.key === 'Enter') {
      e.preventDefault();
      e.stopPropagation();
      onReserve();
    }
    if (e.key === 'f') {
      e.preventDefault();
      onNextFree();
    }
    if (e.key === 'Escape') onSelect(undefined);
  };
  const present = useMemo(() => new Set(map.kinds), [map]);
  const [a, b] = selected ? [Math.min(...selected), Math.max(...selected)] : [-1, -2];
  const chosen = b > a ? `${map.addressOf(a)} – ${map.addressOf(b)}, ${b - a + 1} addresses` : undefined;
  return (
    <div>
      <div
        role="application"
        aria-label="Map of the prefix"
        aria-roledescription="address map"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the map is one control, moved through with the arrow keys
        tabIndex={0}
        onKeyDown={onKey}
        className="relative max-h-[420px] select-none overflow-y-auto overflow-x-hidden"
      >
        <canvas
          ref={canvas}
          className="block cursor-crosshair touch-none"
          onPointerDown={(e) => {
            const i = cellAt(e);
            if (i < 0) return;
            drag.current = i;
            e.currentTarget.setPointerCapture(e.pointerId);
            onSelect([i, i]);
          }}
          onPointerMove={(e) => {
            const i = cellAt(e);
            setOver(i);
            if (drag.current !== undefined && i >= 0) onSelect([drag.current, i]);
          }}
          onPointerUp={() => {
            drag.current = undefined;
          }}
          onPointerLeave={() => setOver(-1)}
        />
        <Outline layout={layout} from={a} to={b} />
      </div>
      <div className="flex flex-wrap gap-x-4 gap-y-1 pt-1.5 text-ink-2 text-sm">
        {map.fill ? (
          <span>a cell is {String(map.scale)} addresses, filled from below by what is reserved</span>
        ) : (
          legend.filter((k) => present.has(cellKinds.indexOf(k))).map((k) => <Key key={k} kind={k} />)
        )}
      </div>
      <div className="pt-1.5 text-ink-3 text-sm" aria-live="polite">
        {chosen ?? (over >= 0 && over < count ? map.says(over) : 'drag to select')} · <kbd className="mono">R</kbd> reserve ·{' '}
        <kbd className="mono">F</kbd> next free
      </div>
    </div>
  );
}

/** The frame around what is selected: a box a run of a row, so that thousands of cells need no thousand boxes. */
function Outline({ layout, from, to }: { layout: MapLayout; from: number; to: number }) {
  if (to < from) return null;
  const boxes: { i: number; n: number }[] = [];
  for (let i = from; i <= to && boxes.length < 400; ) {
    const end = Math.min(to, i - (i % layout.row) + layout.row - 1);
    boxes.push({ i, n: end - i + 1 });
    i = end + 1;
  }
  const step = layout.place(1).x - layout.place(0).x;
  return (
    <>
      {boxes.map(({ i, n }) => {
        const { x, y } = layout.place(i);
        return (
          <span
            key={i}
            className="pointer-events-none absolute border-2 border-ink"
            style={{ left: x - 1, top: y - 1, width: (n - 1) * step + layout.cell.w + 2, height: layout.cell.h + 2 }}
          />
        );
      })}
    </>
  );
}

function Key({ kind }: { kind: CellKind }) {
  const l = look[kind];
  return (
    <span className="flex items-center gap-1.5">
      <span
        className={`inline-block h-[11px] w-[11px] ${l.hatch ? 'hatch' : ''} ${l.frame ? `border ${l.dotted ? 'border-dotted' : ''}` : ''}`}
        style={{
          backgroundColor: l.fill && `var(${l.fill})`,
          borderColor: l.frame && `var(${l.frame})`,
          ...(l.hatch ? ({ '--hatch': `var(${l.hatch})` } as never) : {}),
        }}
      />
      {l.name}
    </span>
  );
}

/** What stands beside the rows. */
function drawLabels(pen: CanvasRenderingContext2D, map: MapModel, layout: MapLayout, style: CSSStyleDeclaration): void {
  pen.font = `11px ${style.getPropertyValue('--font-mono')}`;
  pen.fillStyle = style.getPropertyValue('--ink-3').trim();
  pen.textAlign = 'right';
  pen.textBaseline = 'top';
  for (const l of layout.labels) {
    const octets = map.addressOf(l.cell).split('.');
    pen.fillText(`.${octets.slice(map.kinds.length > 256 ? -2 : -1).join('.')}`, 48, l.y + (layout.points ? 1 : 3));
  }
}

/** Draws the whole map: free cells first and at once, then each other kind. A map of 65,536 takes a few milliseconds. */
function draw(canvas: HTMLCanvasElement, map: MapModel, layout: MapLayout): void {
  const ratio = window.devicePixelRatio || 1;
  canvas.width = Math.round(layout.width * ratio);
  canvas.height = Math.round(layout.height * ratio);
  canvas.style.width = `${layout.width}px`;
  canvas.style.height = `${layout.height}px`;
  const pen = canvas.getContext('2d');
  if (!pen) return;
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, layout.width, layout.height);
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(name).trim();
  const { w, h } = layout.cell;
  if (map.fill) {
    drawLabels(pen, map, layout, style);
    for (let i = 0; i < map.kinds.length; i++) {
      const { x, y } = layout.place(i);
      const full = map.fill[i] as number;
      pen.fillStyle = colour('--sunk');
      pen.fillRect(x, y, w, h);
      const part = full > 0 ? Math.max(1.5, h * Math.min(1, full)) : 0;
      pen.fillStyle = colour(full > 0.7 ? '--ochre' : '--verdigris');
      pen.fillRect(x, y + h - part, w, part);
    }
    return;
  }
  if (layout.points) {
    drawPoints(pen, map, layout, ratio, colour);
    drawLabels(pen, map, layout, style);
    return;
  }
  drawLabels(pen, map, layout, style);
  const by = new Map<number, number[]>();
  for (let i = 0; i < map.kinds.length; i++) {
    const k = map.kinds[i] as number;
    const list = by.get(k);
    if (list) list.push(i);
    else by.set(k, [i]);
  }
  for (const [k, cells] of by) {
    const l = look[cellKinds[k] as CellKind];
    if (l.fill) {
      pen.fillStyle = colour(l.fill);
      for (const i of cells) {
        const { x, y } = layout.place(i);
        pen.fillRect(x, y, w, h);
      }
    }
    if (l.hatch) {
      pen.fillStyle = stripes(pen, colour(l.hatch));
      for (const i of cells) {
        const { x, y } = layout.place(i);
        pen.fillRect(x, y, w, h);
      }
    }
    if (l.frame) {
      pen.strokeStyle = colour(l.frame);
      pen.lineWidth = 1;
      pen.setLineDash(l.dotted ? [1.5, 1.5] : []);
      for (const i of cells) {
        const { x, y } = layout.place(i);
        pen.strokeRect(x + 0.5, y + 0.5, w - 1, h - 1);
      }
    }
  }
}

/** `#17695e` and a share of the paper under it, as one number a pixel (little-endian, opaque). */
function pixel(hex: string, share = 1, paper = hex): number {
  const part = (h: string, at: number) => Number.parseInt(h.slice(at, at + 2), 16);
  const mix = (at: number) => Math.round(part(hex, at) * share + part(paper, at) * (1 - share));
  return ((255 << 24) | (mix(5) << 16) | (mix(3) << 8) | mix(1)) >>> 0;
}

/**
 * Thousands of points are set pixel by pixel in one buffer: a call for each would take a quarter of a second for
 * 65,536. At this size there is no room for frames and stripes; a wash of their colour stands for them.
 */
function drawPoints(
  pen: CanvasRenderingContext2D,
  map: MapModel,
  layout: MapLayout,
  ratio: number,
  colour: (name: string) => string,
): void {
  const [width, height] = [Math.round(layout.width * ratio), Math.round(layout.height * ratio)];
  const image = new ImageData(width, height);
  const pixels = new Uint32Array(image.data.buffer);
  const paper = colour('--paper');
  const inks = cellKinds.map((k) => {
    const l = look[k];
    return l.frame || l.hatch
      ? pixel(colour((l.frame ?? l.hatch) as string), k === 'twice' ? 0.85 : 0.45, paper)
      : pixel(colour(l.fill as string));
  });
  const [w, h] = [Math.max(1, Math.round(layout.cell.w * ratio)), Math.max(1, Math.round(layout.cell.h * ratio))];
  // Points of every block lie alike: where they lie in one is worked out once.
  const scaled = (i: number) => {
    const { x, y } = layout.place(i);
    return Math.round(y * ratio) * width + Math.round(x * ratio);
  };
  const first = scaled(0);
  const inside = Int32Array.from({ length: 64 }, (_, k) => scaled(k) - first);
  for (let block = 0; block < map.kinds.length; block += 64) {
    const origin = scaled(block);
    for (let k = 0; k < 64 && block + k < map.kinds.length; k++) {
      const ink = inks[map.kinds[block + k] as number] as number;
      const start = origin + (inside[k] as number);
      for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) pixels[start + y * width + x] = ink;
    }
  }
  pen.putImageData(image, 0, 0);
}

function stripes(pen: CanvasRenderingContext2D, colour: string): CanvasPattern | string {
  const tile = document.createElement('canvas');
  tile.width = 6;
  tile.height = 6;
  const p = tile.getContext('2d');
  if (!p) return colour;
  p.strokeStyle = colour;
  p.lineWidth = 2;
  p.beginPath();
  for (const o of [-6, 0, 6]) {
    p.moveTo(o - 1, 7);
    p.lineTo(o + 7, -1);
  }
  p.stroke();
  return pen.createPattern(tile, 'repeat') ?? colour;
}
