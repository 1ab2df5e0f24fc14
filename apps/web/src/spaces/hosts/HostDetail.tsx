import type { Fitness } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { Link } from 'react-router';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { clock, utc } from '../../parts/time.ts';
import { useCall } from '../../state/call.ts';
import { scoped } from '../../state/scope.ts';
import { Requirements } from './Requirements.tsx';

/** The chosen row: its facts beside what each role asks, line by line, and the rack it stands in. */
export function HostDetail({ host, estate, judge }: { host: Host; estate: Estate; judge: (h: Host) => Fitness[] }) {
  const refresh = useCall<object>(
    () => ({ method: 'POST', path: `/api/hosts/${host.name}/refresh` }),
    `Facts of ${host.name} read again.`,
  );
  const f = host.facts;
  const fits = judge(host);
  const role =
    fits.find((x) => !x.fits && ['control-plane', 'worker'].includes(x.role)) ??
    fits.find((x) => x.role === host.held?.role) ??
    fits[1];
  return (
    <section aria-label={host.name} className="mt-3.5 grid grid-cols-[minmax(0,1fr)_190px] gap-6 border-rule-2 border-t pt-3">
      <div>
        <div className="flex items-center gap-3">
          <h2 className="whitespace-nowrap text-lg">
            {host.name}
            {role ? ` as a ${role.title.toLowerCase()}` : ''}
          </h2>
          <span className="truncate text-ink-2" title={f ? utc(f.at) : ''}>
            {f
              ? `facts ${f.source === 'bmc' ? `read ${clock(f.at)} over its BMC` : f.source === 'mould' ? 'by its mould' : 'imported'}`
              : 'no facts yet'}
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
          <span className="ml-auto flex gap-2.5">
            {!host.guest && (
              <Button disabled={!host.bmc?.fingerprint || refresh.isPending} onClick={() => refresh.mutate()}>
                Read facts
              </Button>
            )}
            <LinkButton to={scoped(`/hosts/${host.name}`, host.site)}>Open its page</LinkButton>
          </span>
        </div>
        <Refused error={refresh.error} />
        {fits.length > 0 && <Requirements fits={fits} />}
      </div>
      <RackStrip host={host} estate={estate} />
    </section>
  );
}

function RackStrip({ host, estate }: { host: Host; estate: Estate }) {
  if (host.guest)
    return (
      <div className="text-ink-2">
        guest on{' '}
        <Link className="text-verdigris underline underline-offset-2" to={`/hosts/hypervisors?site=${host.site}`}>
          {host.guest.hypervisor}
        </Link>
      </div>
    );
  if (!host.rack || !host.unit) return <div className="text-ink-3">no place in a rack</div>;
  const here = estate.hosts.filter((h) => h.site === host.site && h.rack === host.rack);
  const units = here.map((h) => h.unit ?? 0);
  const top = Math.max(...units) + 1;
  const bottom = Math.max(1, Math.min(...units) - 1);
  const centre = Math.min(top, (host.unit ?? 0) + 8);
  return (
    <div role="group" aria-label={`rack ${host.rack}`}>
      <div className="pb-1 text-sm">
        <Link className="text-verdigris underline underline-offset-2" to={`/hosts/racks?site=${host.site}&rack=${host.rack}`}>
          rack {host.rack}, front
        </Link>
      </div>
      {Array.from({ length: Math.min(17, top - bottom + 1) }, (_, i) => centre - i)
        .filter((u) => u >= bottom)
        .map((u) => {
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
