import { useLayoutEffect, useState } from 'react';
import { clock, clockSeconds, span } from '../../parts/time.ts';

/** The shortest time that is shown, in milliseconds. */
const shortest = 1000;

/** What is shown of the time: from, to. */
export type Window = [number, number];

export function Zoom({
  shown,
  whole,
  zoomed,
  around,
  onZoom,
}: {
  shown: Window;
  whole: Window;
  zoomed: boolean;
  /** What is zoomed in on by the button, where it is in view. */
  around: number;
  onZoom: (w: Window | undefined) => void;
}) {
  const width = shown[1] - shown[0];
  const to = (next: number, centre: number) => {
    if (next >= whole[1] - whole[0]) return onZoom(undefined);
    const from = Math.max(whole[0], Math.min(centre - next / 2, whole[1] - next));
    onZoom([from, from + next]);
  };
  const middle = (shown[0] + shown[1]) / 2;
  const centre = around >= shown[0] && around <= shown[1] ? around : middle;
  const button = 'rounded-[3px] border border-rule-2 px-1.5 leading-[18px] disabled:opacity-40';
  return (
    <div className="flex items-start gap-1 text-ink-2 text-sm">
      <button
        type="button"
        className={button}
        aria-label="Zoom in"
        disabled={width <= shortest}
        onClick={() => to(Math.max(shortest, width / 2), centre)}
      >
        +
      </button>
      <button type="button" className={button} aria-label="Zoom out" disabled={!zoomed} onClick={() => to(width * 2, middle)}>
        −
      </button>
      {zoomed && (
        <>
          <button type="button" className={button} aria-label="Earlier" onClick={() => to(width, middle - width / 2)}>
            ‹
          </button>
          <button type="button" className={button} aria-label="Later" onClick={() => to(width, middle + width / 2)}>
            ›
          </button>
          <button type="button" className={button} onClick={() => onZoom(undefined)}>
            All
          </button>
        </>
      )}
    </div>
  );
}

/** The times. Dragging over them looks closely at that span. */
export function Axis({
  ref,
  shown,
  planned,
  mark,
  onSelect,
}: {
  ref: React.RefObject<HTMLDivElement | null>;
  shown: Window;
  planned: boolean;
  mark: number | undefined;
  onSelect: (from: number, to: number) => void;
}) {
  const [drag, setDrag] = useState<[number, number]>();
  const width = shown[1] - shown[0];
  const x = (ms: number) => `${((ms - shown[0]) / width) * 100}%`;
  const fine = width < 10 * 60_000;
  const at = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    return Math.max(0, Math.min(1, (e.clientX - box.left) / box.width));
  };
  return (
    <div
      ref={ref}
      title="Drag over the times to look at them closely"
      className="relative h-[34px] cursor-col-resize touch-none select-none overflow-x-clip"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrag([at(e), at(e)]);
      }}
      onPointerMove={(e) => drag && setDrag([drag[0], at(e)])}
      onPointerUp={() => {
        const [a, b] = drag ? [Math.min(...drag), Math.max(...drag)] : [0, 0];
        setDrag(undefined);
        if ((b - a) * width >= Math.min(shortest, width / 50)) onSelect(a, b);
      }}
    >
      {ticksFor(shown[0], shown[1]).map((k) => (
        <span key={k} className="mono absolute top-0 -translate-x-1/2 text-ink-3" style={{ left: x(k) }}>
          {planned ? (k % 60_000 ? span(k) : `${k / 60_000} min`) : fine ? clockSeconds(k) : clock(k)}
        </span>
      ))}
      {mark !== undefined && mark >= shown[0] && mark <= shown[1] && (
        <span
          className="absolute bottom-0 whitespace-nowrap font-semibold text-brick text-sm"
          // At either end it stays within the axis.
          style={{ left: x(mark), transform: `translateX(${-100 * Math.min(1, Math.max(0, (mark - shown[0]) / width))}%)` }}
        >
          {planned ? 'cannot be undone' : fine ? clockSeconds(mark) : clock(mark)}
        </span>
      )}
      {drag && (
        <span
          className="absolute inset-y-0 bg-verdigris/20"
          style={{ left: `${Math.min(...drag) * 100}%`, width: `${Math.abs(drag[1] - drag[0]) * 100}%` }}
        />
      )}
    </div>
  );
}

/** How wide it is drawn, in pixels. */
export function useWidth(of: React.RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(800);
  useLayoutEffect(() => {
    const box = of.current;
    if (!box) return;
    setWidth(box.clientWidth);
    const seen = new ResizeObserver(() => setWidth(box.clientWidth));
    seen.observe(box);
    return () => seen.disconnect();
  }, [of]);
  return width;
}

function ticksFor(start: number, end: number): number[] {
  const steps = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600].map((s) => s * 1000);
  const step = steps.find((s) => (end - start) / s <= 7) ?? 7_200_000;
  const out: number[] = [];
  for (let t = Math.ceil(start / step) * step; t < end; t += step)
    if ((t - start) / (end - start) > 0.02 && (t - start) / (end - start) < 0.97) out.push(t);
  return out;
}
