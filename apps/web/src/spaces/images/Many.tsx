import { behind } from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import type { Estate, Registry } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { At } from '../../parts/FindingMarker.tsx';
import { Holds } from './Holds.tsx';

/** More registries than fit side by side stand below each other. */
export const many = 6;
const first = 40;

/**
 * What many registries hold, those that are furthest behind first: how much each lacks of what its charters ask, and the bills
 * that somebody asks for as columns.
 */
export function Many({ estate, registries, bills }: { estate: Estate; registries: Registry[]; bills: string[] }) {
  const [typed, setTyped] = useState('');
  const [all, setAll] = useState(false);
  const rows = useMemo(() => {
    const sites = new Map(estate.sites.map((s) => [s.name, s]));
    return behind(estate, registries).map((r) => ({ ...r, site: sites.get(r.registry.site) }));
  }, [estate, registries]);
  const asked = new Set(rows.flatMap((r) => r.wanted));
  const columns = bills.filter((b) => asked.has(b));
  const word = typed.trim().toLowerCase();
  const found = rows.filter(
    (r) =>
      !word ||
      `${r.registry.name} ${r.registry.endpoint} ${r.site?.title ?? ''} ${r.site?.reach ?? ''}`.toLowerCase().includes(word),
  );
  const shown = all || word ? found : found.slice(0, Math.max(first, found.filter((r) => r.short > 0 || r.unknown).length));
  const late = rows.filter((r) => r.short > 0);
  const out = rows.filter((r) => r.unknown).length;
  return (
    <>
      <div className="flex items-baseline gap-4 pt-2.5 pb-1">
        <span>
          <b>{late.length}</b> of {counted(rows.length, 'registry', 'registries')} are behind, by{' '}
          {bytesText(late.reduce((n, r) => n + r.short, 0))}
          {out ? `; ${counted(out, 'is', 'are')} out of reach` : ''}
        </span>
        <input
          aria-label="find a registry"
          placeholder="find a registry or site"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className="ml-auto w-56 border border-rule-2 bg-leaf px-2 py-1"
        />
      </div>
      <div className="max-h-[420px] overflow-auto">
        <table className="grid-table" aria-label="Images at each registry">
          <thead className="sticky top-0 bg-paper">
            <tr>
              <th>Site</th>
              <th>Lacks</th>
              {columns.map((b) => (
                <th key={b}>{b}</th>
              ))}
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <tr key={r.registry.name} data-row tabIndex={-1}>
                <td className="min-w-[150px]">
                  <b>{r.site?.title ?? r.registry.site}</b>
                  <At kind="Registry" name={r.registry.name} />
                  <span className="block whitespace-nowrap text-ink-2 text-sm">
                    {r.registry.role} · {r.site?.reach}
                  </span>
                </td>
                <td className="whitespace-nowrap">
                  {r.unknown ? (
                    <span className="text-ink-3">not known</span>
                  ) : r.short ? (
                    <b>{bytesText(r.short)}</b>
                  ) : (
                    <span className="text-ink-3">{r.wanted.length ? 'nothing' : 'nothing is asked of it'}</span>
                  )}
                </td>
                {columns.map((b) => (
                  <Holds key={b} registry={r.registry} bill={estate.observed.bills[b]} estate={estate} />
                ))}
                <td className="text-right">
                  {r.short > 0 && (
                    <Link
                      className="whitespace-nowrap font-semibold text-verdigris hover:underline"
                      to={`/images?plan=${r.registry.name}&bills=${r.wanted.join(',')}`}
                    >
                      Plan a shipment
                    </Link>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {!found.length && <p className="pt-2 text-ink-2">No registry or site fits {typed}.</p>}
      {shown.length < found.length && (
        <p className="pt-1.5">
          <button type="button" className="font-semibold text-verdigris" onClick={() => setAll(true)}>
            Show the other {found.length - shown.length}, which lack nothing
          </button>
        </p>
      )}
    </>
  );
}
