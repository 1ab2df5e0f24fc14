import { certificateFault } from '@praesidor/core/images';
import type { Estate, Registry } from '@praesidor/core/model';
import { useState } from 'react';
import { At } from '../../parts/FindingMarker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { day } from '../../parts/time.ts';
import { useMay } from '../../state/may.ts';
import { useScope } from '../../state/scope.ts';
import { CertificateDialog } from './CertificateDialog.tsx';
import { KitDialog } from './KitDialog.tsx';

/** Every registry's certificate: whom it names, who signed it, until when, and what is wrong with it. */
export function Trust({ registries, estate }: { registries: Registry[]; estate: Estate }) {
  const [kit, setKit] = useState<Registry>();
  const { params, setParams } = useScope();
  // In the address, so that a finding leads here and the link can be sent.
  const asked = estate.registries.find((r) => r.name === params.get('registry') && r.role !== 'source');
  const ask = (name?: string) =>
    setParams((q) => {
      if (name) q.set('registry', name);
      else q.delete('registry');
      return q;
    });
  const warden = useMay().may('trust.change');
  // What fails first, then what ends first.
  const judged = registries
    .map((r) => verdict(estate, r))
    .sort((a, b) => Number(!a.wrong) - Number(!b.wrong) || a.days - b.days || (a.r.name < b.r.name ? -1 : 1));
  return (
    <section aria-label="Trust">
      <h2 className="pt-4 pb-1 text-lg">Certificates</h2>
      <table className="grid-table" aria-label="Certificates">
        <thead>
          <tr>
            <th>Registry</th>
            <th>Names</th>
            <th>Signed by</th>
            <th>Until</th>
            <th>Verdict</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {judged.map(({ r, seen, days, wrong }) => {
            const c = seen?.certificate;
            return (
              <tr key={r.name}>
                <td className="font-semibold">
                  {r.name}
                  <At kind="Registry" name={r.name} />
                </td>
                <td className="mono max-w-[230px] truncate" title={c?.names.join(', ')}>
                  {c?.names.join(', ') ?? '—'}
                </td>
                <td>{c?.issuer ?? '—'}</td>
                <td className="whitespace-nowrap">{c ? `${day(c.notAfter)}${days < 60 ? `, in ${days} days` : ''}` : '—'}</td>
                <td>
                  <span className="flex items-center gap-1.5">
                    <Mark kind={wrong ? (c ? 'failing' : 'sighted') : 'done'} />
                    {wrong ?? 'verifies'}
                  </span>
                  {seen?.renews && (
                    <span
                      className={`block text-sm ${seen.renews.error ? 'text-brick' : 'text-ink-3'}`}
                      title={seen.renews.error}
                    >
                      {seen.renews.error ? 'could not be renewed' : 'is renewed from here'}
                    </span>
                  )}
                </td>
                <td className="whitespace-nowrap text-right">
                  {warden && r.role !== 'source' && (
                    <>
                      <button
                        type="button"
                        className="mr-3 font-semibold text-verdigris hover:underline"
                        aria-label={`Renew… the certificate of ${r.name}`}
                        onClick={() => ask(r.name)}
                      >
                        Renew…
                      </button>
                      <button
                        type="button"
                        className="font-semibold text-verdigris hover:underline"
                        aria-label={`Kit… of ${r.name}`}
                        onClick={() => setKit(r)}
                      >
                        Kit…
                      </button>
                    </>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {asked && <CertificateDialog key={asked.name} registry={asked} estate={estate} warden={warden} onClose={() => ask()} />}
      {kit && <KitDialog registry={kit} onClose={() => setKit(undefined)} />}
    </section>
  );
}

function verdict(estate: Estate, r: Registry) {
  const seen = estate.observed.registries[r.name];
  const c = seen?.certificate;
  const days = c ? Math.ceil((Date.parse(c.notAfter) - Date.parse(estate.now)) / 86_400_000) : 0;
  return { r, seen, days, wrong: c ? certificateFault(c, r, estate.now)?.text : 'not seen yet' };
}
