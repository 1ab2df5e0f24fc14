import type { Fitness, Line } from '@praesidor/core/hosts';
import { Fragment } from 'react';

const short: Record<string, string> = {
  'control-plane': 'Control',
  worker: 'Worker',
  storage: 'Storage',
  registry: 'Registry',
  edge: 'Edge',
};

/** What each role asks beside what the host has, fact by fact; what misses says what would mend it. */
export function Requirements({ fits }: { fits: readonly Fitness[] }) {
  const lines = fits.map((x) => ({ fit: x, lines: x.lines }));
  const rows = new Map<string, Line>();
  for (const { lines: own } of lines) for (const l of own) if (!rows.has(l.label)) rows.set(l.label, l);
  return (
    <table className="mt-1.5" aria-label="Facts and requirements">
      <thead>
        <tr>
          <th className="pr-3">requirement</th>
          {fits.map((x) => (
            <th key={x.role} className={`w-[70px] pr-2 ${x.fits ? '' : 'text-brick!'}`} title={x.title}>
              {short[x.role] ?? x.title}
            </th>
          ))}
          <th className="pr-4">measured</th>
        </tr>
      </thead>
      <tbody>
        {[...rows.values()].map((line) => {
          const each = lines.map(({ lines: own }) => own.find((l) => l.label === line.label));
          const bad = each.find((l) => l && !l.ok);
          return (
            <Fragment key={line.label}>
              <tr>
                <td className="whitespace-nowrap py-[2.5px] pr-3 text-ink-2">{line.label}</td>
                {each.map((l, i) => (
                  <td key={fits[i]?.role} className={`whitespace-nowrap pr-2 ${l && !l.ok ? 'text-brick' : ''}`}>
                    {l ? l.asked : ''}
                  </td>
                ))}
                <td className={`whitespace-nowrap pr-4 ${bad ? 'font-semibold text-brick' : ''}`}>{bad?.has ?? line.has}</td>
              </tr>
              {bad?.mend && (
                <tr>
                  <td />
                  <td colSpan={fits.length + 1} className="pb-1 text-ink-2">
                    ↳ {bad.mend}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}
