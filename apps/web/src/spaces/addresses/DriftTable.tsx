import type { Drift, PlannedRecord } from '@praesidor/core/naming';
import type { ServedRecord } from '@praesidor/core/model';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ReactNode, useLayoutEffect, useMemo, useRef, useState } from 'react';

type Row =
  | { what: 'change'; record: Drift['change'][number] }
  | { what: 'add' | 'remove' | 'foreign'; record: ServedRecord }
  | { what: 'same'; record: PlannedRecord };
const key = ({ what, record: r }: Row) => `${what} ${r.name} ${r.type} ${'value' in r ? r.value : ''}`;
const keyOf = (r: { name: string; type: string; value: string }) => `${r.name} ${r.type} ${r.value}`;
/** Height of a line, in CSS pixels. */
const line = 29;

/** Planned against served, a record a line: what differs first. Only the lines in sight are drawn. */
export function DriftTable({
  drift: d,
  planned,
  served,
  own,
  busy,
  onAdd,
  onRemove,
  onTake,
}: {
  drift: Drift;
  planned: readonly PlannedRecord[];
  served: readonly ServedRecord[];
  /** A name without its zone. */
  own: (name: string) => ReactNode;
  busy: boolean;
  /** Adds a foreign record to the plan. */
  onAdd: (r: ServedRecord) => void;
  /** Removes a foreign record from the server. */
  onRemove: (r: ServedRecord) => void;
  /** Removes a record by hand from the plan. */
  onTake: (r: PlannedRecord) => void;
}) {
  const rows = useMemo((): Row[] => {
    const there = new Set(served.map(keyOf));
    const of = <W extends 'add' | 'remove' | 'foreign'>(what: W) => d[what].map((record): Row => ({ what, record }));
    return [
      ...d.change.map((record): Row => ({ what: 'change', record })),
      ...of('add'),
      ...of('remove'),
      ...of('foreign'),
      ...planned.filter((p) => there.has(keyOf(p))).map((record): Row => ({ what: 'same', record })),
    ];
  }, [d, planned, served]);
  const body = useRef<HTMLTableSectionElement>(null);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    const work = document.getElementById('work');
    if (work && body.current)
      setTop(body.current.getBoundingClientRect().top - work.getBoundingClientRect().top + work.scrollTop);
  }, []);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => document.getElementById('work'),
    estimateSize: () => line,
    getItemKey: (n) => key(rows[n] as Row),
    overscan: 20,
    scrollMargin: top,
  });
  const shown = virtual.getVirtualItems();
  const before = (shown[0]?.start ?? top) - top;
  const after = virtual.getTotalSize() - ((shown.at(-1)?.end ?? top) - top);
  const act = 'hover:underline';
  const cells = (row: Row): ReactNode => {
    switch (row.what) {
      case 'change': {
        const c = row.record;
        return (
          <>
            <td className="mono">
              {c.served.join(', ')}
              {c.ttl !== c.servedTtl && <span className="text-ink-3"> for {c.servedTtl} s</span>}
            </td>
            <td className="mono follows">
              ↳ {c.planned.join(', ')}
              {c.ttl !== c.servedTtl && ` for ${c.ttl} s`}
            </td>
          </>
        );
      }
      case 'add':
        return (
          <>
            <td className="text-ink-3">—</td>
            <td className="mono follows">↳ {row.record.value}</td>
          </>
        );
      case 'remove':
        return (
          <>
            <td className="mono">{row.record.value}</td>
            <td className="text-ink-3">—</td>
          </>
        );
      case 'foreign': {
        const r = row.record;
        return (
          <>
            <td className="mono">{r.value}</td>
            <td className="text-ink-3">
              foreign, ignored
              <span className="float-right flex gap-3 text-verdigris">
                <button type="button" className={act} disabled={busy} onClick={() => onAdd(r)}>
                  add to plan
                </button>
                <button type="button" className={act} onClick={() => onRemove(r)}>
                  remove…
                </button>
              </span>
            </td>
          </>
        );
      }
      case 'same': {
        const p = row.record;
        return (
          <>
            <td className="mono">{p.value}</td>
            <td className="text-ink-3">
              {p.from}
              {p.origin === 'by-hand' && (
                <button type="button" className="float-right text-verdigris hover:underline" onClick={() => onTake(p)}>
                  remove from plan…
                </button>
              )}
            </td>
          </>
        );
      }
    }
  };
  return (
    <table className="grid-table" aria-label="Planned against served" aria-rowcount={rows.length + 1}>
      <thead>
        <tr>
          <th className="w-[86px]">Difference</th>
          <th>Name</th>
          <th>Type</th>
          <th>Served</th>
          <th>Planned</th>
        </tr>
      </thead>
      <tbody ref={body}>
        {before > 0 && (
          <tr>
            <td colSpan={5} style={{ height: before, padding: 0, border: 0 }} />
          </tr>
        )}
        {shown.map((v) => {
          const row = rows[v.index] as Row;
          return (
            <tr
              key={v.key}
              ref={virtual.measureElement}
              data-index={v.index}
              data-row=""
              aria-rowindex={v.index + 2}
              className={row.what === 'change' ? 'bg-ochre-tint' : ''}
            >
              <td className={colours[row.what]}>{row.what}</td>
              <td>{own(row.record.name)}</td>
              <td>{row.record.type}</td>
              {cells(row)}
            </tr>
          );
        })}
        {after > 0 && (
          <tr>
            <td colSpan={5} style={{ height: after, padding: 0, border: 0 }} />
          </tr>
        )}
      </tbody>
    </table>
  );
}

const colours: Record<Row['what'], string> = {
  change: '',
  add: 'text-verdigris underline underline-offset-2',
  remove: 'text-brick',
  foreign: 'text-ink-3',
  same: 'text-ink-3',
};
