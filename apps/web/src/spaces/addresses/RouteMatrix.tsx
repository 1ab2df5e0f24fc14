import type { Network } from '@praesidor/core/model';
import type { Reached } from '@praesidor/core/reach';
import { useQuery } from '@tanstack/react-query';
import { useId, useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import { At } from '../../parts/FindingMarker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { computerWith } from '../../workers/compute.ts';
import { purposes } from './Networks.tsx';

/** From so many networks on, purposes are folded until somebody opens one. */
const many = 24;
/** What stands in a row or a column: one network, or all of a purpose. */
type Entry = { key: string; label: string; of: number[]; folded: boolean };
const words: Record<Reached, string> = {
  both: 'both ways',
  there: 'no way back',
  back: 'only the other way',
  none: 'no route',
  unknown: 'not known: a next hop is not declared',
};

/** From each network (row) to each (column), by what is declared: both ways, one way only, or not at all. */
export function Matrix({
  title,
  networks,
  onToggle,
}: {
  title: string;
  networks: Network[];
  onToggle: (a: Network, b: Network) => void;
}) {
  const [typed, setTyped] = useState('');
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const id = useId();
  const snapshot = useSnapshot().data;
  const names = networks.map((n) => n.name);
  const ways = useQuery({
    queryKey: ['routes', snapshot?.state, names.join()],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? (await computerWith(snapshot)).matrix(names) : []),
  }).data;
  const wanted = typed.trim().toLowerCase();
  const shown = networks.map((_, i) => i).filter((i) => matches(networks[i] as Network, wanted));
  const folds = shown.length > many;
  const groups = purposes
    .map((p) => ({ purpose: p, of: shown.filter((i) => networks[i]?.purpose === p) }))
    .filter((g) => g.of.length > 0);
  const entries = groups.flatMap(({ purpose, of }): Entry[] =>
    of.length > 1 && folds !== turned.has(purpose)
      ? [{ key: purpose, label: `${purpose} (${of.length})`, of, folded: true }]
      : of.map((i) => ({ key: names[i] ?? '', label: names[i] ?? '', of: [i], folded: false })),
  );
  const turn = (purpose: string) =>
    setTurned((old) => new Set(old.has(purpose) ? [...old].filter((p) => p !== purpose) : [...old, purpose]));
  const narrow = entries.length > many;
  return (
    <section aria-label={`Routing at ${title}`} className="pt-3">
      <div className="flex items-baseline gap-4 pb-1">
        <h2 className="text-lg">{title}</h2>
        <span className="flex-1" />
        {networks.length > 8 && (
          <>
            <label htmlFor={id} className="text-ink-2">
              Filter
            </label>
            <input
              id={id}
              className="mono w-[180px] border border-rule-2 bg-leaf px-2 py-0.5"
              placeholder="name, prefix or VLAN"
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
          </>
        )}
      </div>
      {groups.some((g) => g.of.length > 1) && networks.length > 8 && (
        <div className="flex flex-wrap gap-x-4 pb-1 text-sm">
          <span className="text-ink-2">Fold</span>
          {groups
            .filter((g) => g.of.length > 1)
            .map((g) => (
              <label key={g.purpose} className="flex items-center gap-1">
                <input type="checkbox" checked={folds !== turned.has(g.purpose)} onChange={() => turn(g.purpose)} /> {g.purpose} (
                {g.of.length})
              </label>
            ))}
        </div>
      )}
      {!shown.length && <p className="text-ink-2">No network here matches {typed}.</p>}
      <div className="overflow-x-auto">
        <table className="border-collapse">
          <thead>
            <tr>
              <th className="pr-4 pb-1 align-bottom">reaches</th>
              {entries.map((n) => (
                <th key={n.key} className={`h-[86px] align-bottom ${narrow ? 'w-[22px]' : 'w-[34px]'}`}>
                  <span
                    className={`inline-block origin-bottom-left -rotate-45 whitespace-nowrap text-ink-2 ${narrow ? 'translate-x-[12px] text-[11px]' : 'translate-x-[18px]'}`}
                  >
                    {n.label}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {entries.map((a) => (
              <tr key={a.key} className="border-rule border-t">
                <td className={`whitespace-nowrap pr-4 ${narrow ? '' : 'py-1'}`}>
                  <span className="font-semibold">{a.label}</span>{' '}
                  {!a.folded && (
                    <>
                      <span className="mono text-[11.5px]! text-ink-3">{networks[a.of[0] as number]?.prefix}</span>
                      <At kind="Network" name={a.label} path="routesTo" />
                    </>
                  )}
                </td>
                {entries.map((b) => (
                  <td key={b.key} className="text-center">
                    <Cell a={a} b={b} networks={networks} ways={ways} narrow={narrow} onToggle={onToggle} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="pt-1.5 text-ink-3 text-sm">
        <Mark kind="done" /> both ways · <Mark kind="half" /> there, and no way back · <Mark kind="failing" /> declared, and not
        so · <Mark kind="sighted" /> not known · a click changes what is declared, after showing what
      </p>
    </section>
  );
}
const matches = (n: Network, wanted: string): boolean =>
  !wanted || n.name.includes(wanted) || n.prefix.startsWith(wanted) || String(n.vlan ?? '') === wanted;
const empty = (narrow: boolean) => (
  <span className={`inline-block border border-rule-2 ${narrow ? 'h-[12px] w-[9px]' : 'h-[14px] w-[11px]'}`} />
);

function Cell({
  a,
  b,
  networks,
  ways,
  narrow,
  onToggle,
}: {
  a: Entry;
  b: Entry;
  networks: Network[];
  ways: Reached[][] | undefined;
  narrow: boolean;
  onToggle: (a: Network, b: Network) => void;
}) {
  const pairs = a.of.flatMap((i) => b.of.filter((k) => k !== i).map((k) => ways?.[i]?.[k] ?? 'none'));
  if (!pairs.length) return <span className="text-ink-3">·</span>;
  if (a.folded || b.folded) {
    const good = pairs.filter((w) => w === 'both').length;
    const says = `${a.label} and ${b.label}: ${good} of ${pairs.length} both ways`;
    return (
      <span title={says} aria-label={says} role="img" className="text-sm">
        {good === pairs.length ? <Mark kind="done" /> : good ? `${good}/${pairs.length}` : empty(narrow)}
      </span>
    );
  }
  const [from, to] = [networks[a.of[0] as number] as Network, networks[b.of[0] as number] as Network];
  const way = pairs[0] as Reached;
  const declared = from.routesTo.includes(to.name);
  const broken = declared && (way === 'none' || way === 'back');
  const says = `${a.label} and ${b.label}: ${broken ? `declared, and ${words[way]}` : words[way]}`;
  return (
    <button
      type="button"
      title={says}
      aria-label={says}
      className={narrow ? 'px-0.5' : 'px-2 py-0.5'}
      onClick={() => onToggle(from, to)}
    >
      {broken ? (
        <Mark kind="failing" />
      ) : way === 'both' ? (
        <Mark kind="done" />
      ) : way === 'there' ? (
        <Mark kind="half" />
      ) : way === 'unknown' ? (
        <Mark kind="sighted" />
      ) : (
        empty(narrow)
      )}
    </button>
  );
}
