import { catalogue, checkWords } from '@praesidor/core/checks';
import { counted } from '@praesidor/core/words';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { Space } from '../../frame/Space.tsx';
import { Own } from '../../parts/Own.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';

const areas: Record<string, string> = {
  NET: 'Networks',
  ADR: 'Addresses',
  DNS: 'Names',
  HST: 'Hosts and hypervisors',
  IMG: 'Images and registries',
  KEY: 'Keyring',
  CHT: 'Charters',
  SVC: 'Services',
  STO: 'Volumes and backups',
  TPL: 'Templates',
  ACC: 'Teams',
};
const tone = { stop: 'text-brick', mind: 'text-ochre', note: 'text-slate' } as const;

/** Every check there is: what it finds, why that matters, what mends it, and how often it finds it now. */
export function ChecksSpace() {
  const { site, inScope, params } = useScope();
  const report = useReport();
  const code = params.get('code') ?? '';
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site));
  const found = new Map<string, number>();
  for (const f of findings) found.set(f.code, (found.get(f.code) ?? 0) + 1);
  useEffect(() => {
    if (code) document.getElementById(`check-${code}`)?.scrollIntoView({ block: 'center' });
  }, [code]);
  return (
    <Space
      space="checks"
      title="Checks"
      facts={`${counted(catalogue.length, 'check')}, ${counted(found.size, 'finds', 'find')} something ${site ? 'at this site' : 'now'}`}
      findings={findings.filter((f) => !code || f.code === code)}
      crumbs={
        <Link to={scoped('/estate', site)} className="hover:underline">
          Estate
        </Link>
      }
    >
      {Object.entries(areas).map(([area, title]) => (
        <section key={area} aria-label={title}>
          <h2 className="pt-4 pb-1 text-lg">{title}</h2>
          <table className="grid-table" aria-label={title}>
            <thead>
              <tr>
                <th className="w-[74px]">Code</th>
                <th className="w-[52px]">Kind</th>
                <th>Finds</th>
                <th>Why it matters</th>
                <th>What to do</th>
                <th className="w-[64px]">Now</th>
              </tr>
            </thead>
            <tbody>
              {catalogue
                .filter((c) => c.code.startsWith(area))
                .map((c) => (
                  <tr key={c.code} id={`check-${c.code}`} className={c.code === code ? 'lit' : ''}>
                    <td className="mono align-top">{c.code}</td>
                    <td className={`align-top ${tone[c.severity]}`}>
                      <Own>{c.severity}</Own>
                    </td>
                    <td className="whitespace-normal! align-top">{c.about}</td>
                    <td className="whitespace-normal! align-top text-ink-2">{checkWords[c.code]?.why}</td>
                    <td className="whitespace-normal! align-top text-ink-2">{checkWords[c.code]?.mend}</td>
                    <td className="align-top">
                      {found.get(c.code) ? (
                        <Link
                          className="font-semibold text-verdigris hover:underline"
                          to={scoped(`/checks?code=${c.code}`, site)}
                          aria-label={`${found.get(c.code)} of ${c.code}, in the margin`}
                        >
                          {found.get(c.code)}
                        </Link>
                      ) : (
                        <span className="text-ink-3">—</span>
                      )}
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
      ))}
    </Space>
  );
}
