import { fitness } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { clock, utc } from '../../parts/time.ts';
import { useAct } from '../../state/act.ts';

/** Facts beside what each role asks, line by line; the rack it stands in; its addresses. */
export function HostDetail({ host, estate }: { host: Host; estate: Estate }) {
  const refresh = useAct(() => api('POST', `/api/hosts/${host.name}/refresh`), `Facts of ${host.name} read again.`);
  const f = host.facts;
  const fits = f ? fitness(f) : [];
  const role = fits.find((x) => !x.fits) ?? fits.find((x) => x.role === host.held?.role) ?? fits[1];
  const addresses = estate.reservations.filter(
    (r) => (r.owner.kind === 'host' && r.owner.name === host.name) || r.owner.use === `node ${host.name}`,
  );
  const baseline = estate.baselines.find((b) => b.model === f?.model);
  return (
    <section aria-label={host.name} className="mt-3.5 grid grid-cols-[1fr_190px] gap-6 border-rule-2 border-t pt-3">
      <div>
        <div className="flex items-baseline gap-3">
          <h2 className="text-lg">
            {host.name}
            {role ? ` as a ${role.title.toLowerCase()}` : ''}
          </h2>
          <span className="text-ink-2" title={f ? utc(f.at) : ''}>
            {f ? `facts ${f.source === 'bmc' ? `read ${clock(f.at)} over its BMC` : 'imported'}` : 'no facts yet'}
            {host.bmc?.fingerprint && (
              <>
                {' '}
                · pinned{' '}
                <span className="mono" title={host.bmc.fingerprint}>
                  {host.bmc.fingerprint.slice(0, 5)}:…:{host.bmc.fingerprint.slice(-5)}
                </span>
              </>
            )}
          </span>
          <Button className="ml-auto" disabled={!host.bmc?.fingerprint || refresh.isPending} onClick={() => refresh.mutate()}>
            Read facts
          </Button>
        </div>
        <Refused error={refresh.error} />
        {fits.length > 0 && (
          <table className="mt-1.5">
            <thead>
              <tr>
                <th className="w-[100px] pr-3">asked</th>
                {fits.map((x) => (
                  <th key={x.role} className="w-[92px] pr-3">
                    {x.title}
                  </th>
                ))}
                <th className="pr-4">has</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {(fits[0]?.lines ?? [])
                .concat(fits.flatMap((x) => x.lines).filter((l) => !fits[0]?.lines.some((y) => y.label === l.label)))
                .map((line) => {
                  const each = fits.map((x) => x.lines.find((l) => l.label === line.label));
                  const bad = each.find((l) => l && !l.ok);
                  return (
                    <tr key={line.label}>
                      <td className="py-[3px] text-ink-2">{line.label}</td>
                      {each.map((l, i) => (
                        <td key={fits[i]?.role} className={l && !l.ok ? 'text-brick' : ''}>
                          {l ? l.asked : ''}
                        </td>
                      ))}
                      <td className={`whitespace-nowrap pr-4 ${bad ? 'font-semibold text-brick' : ''}`}>{line.has}</td>
                      <td className="text-ink-2">{bad?.mend ?? ''}</td>
                    </tr>
                  );
                })}
              <tr>
                <td className="py-[3px] text-ink-2">firmware</td>
                <td colSpan={3}>{baseline ? `${baseline.system} or later` : 'no baseline'}</td>
                <td className="pr-4">{f?.firmware.system}</td>
              </tr>
            </tbody>
          </table>
        )}
        <div className="grid grid-cols-2 gap-6 pt-3">
          <div>
            <h3 className="text-md">Adapters</h3>
            {f?.nics.map((n) => (
              <div key={n.mac} className="flex gap-3 py-0.5">
                <span className="w-12">{n.name}</span>
                <Copy text={n.mac} className="mono" />
                <span className="text-ink-2">{n.link ? `${n.speedGbit} Gbit/s` : 'no link'}</span>
              </div>
            ))}
          </div>
          <div>
            <h3 className="text-md">Addresses</h3>
            {host.bmc && (
              <div className="py-0.5">
                <Copy text={host.bmc.address} className="mono" /> <span className="text-ink-2">BMC</span>
              </div>
            )}
            {addresses
              .filter((r) => r.address !== host.bmc?.address)
              .map((r) => (
                <div key={r.address} className="py-0.5">
                  <Copy text={r.address} className="mono" />{' '}
                  <Link
                    className="text-ink-2 hover:underline"
                    to={`/addresses?site=${host.site}&net=${r.network}&at=${r.address}`}
                  >
                    {r.network}
                  </Link>
                </div>
              ))}
          </div>
        </div>
      </div>
      <Rack host={host} estate={estate} />
    </section>
  );
}

function Rack({ host, estate }: { host: Host; estate: Estate }) {
  if (!host.rack || !host.unit) return <div className="text-ink-3">no place in a rack</div>;
  const here = estate.hosts.filter((h) => h.site === host.site && h.rack === host.rack);
  const units = here.map((h) => h.unit ?? 0);
  const top = Math.max(...units) + 1;
  const bottom = Math.max(1, Math.min(...units) - 1);
  return (
    <div role="group" aria-label={`rack ${host.rack}`}>
      <div className="pb-1 text-ink-2 text-sm">rack {host.rack}, front</div>
      {Array.from({ length: Math.min(24, top - bottom + 1) }, (_, i) => top - i).map((u) => {
        const h = here.find((x) => x.unit === u);
        return (
          <div key={u} className="grid h-[14px] grid-cols-[24px_1fr] text-[10.5px]">
            <span className="mono text-[10.5px]! text-ink-3">{u}</span>
            <span
              className={`mono truncate border px-1 text-[10.5px]! leading-[12px] ${h ? (h.name === host.name ? 'border-ink bg-leaf font-semibold' : 'border-rule-2 bg-leaf') : 'border-rule border-dotted'}`}
            >
              {h?.name}
            </span>
          </div>
        );
      })}
    </div>
  );
}
