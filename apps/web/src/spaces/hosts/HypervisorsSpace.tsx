import { counted, gigabytesText } from '@praesidor/core/words';
import { binOf, type Packing, standing, standingPacking } from '@praesidor/core/hosts';
import type { Estate, Hypervisor, SeenHypervisor } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark, type MarkKind } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { utc } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { CastDialog } from './CastDialog.tsx';
import { SubNav } from './SubNav.tsx';
import { Works } from './Works.tsx';
import { useWorks } from './works.ts';
import { Own } from '../../parts/Own.tsx';

/** Hypervisors: what each is promised, what is left, and what becomes of its guests when it fails. */
export function HypervisorsSpace() {
  const { site, inScope, params } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const works = useWorks();
  const [casting, setCasting] = useState(false);
  const here = useMemo(() => (estate?.hypervisors ?? []).filter((h) => !site || h.site === site), [estate, site]);
  const codes = ['HST-010', 'HST-011', 'HST-012', 'HST-014'];
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && codes.includes(f.code));
  const guests = (estate?.hosts ?? []).filter((h) => h.guest && (!site || h.site === site) && h.state !== 'retired');
  const sites = useMemo(() => [...new Set(here.map((h) => h.site))], [here]);
  // Worked out once a site: a hall of a hundred hypervisors asks for it in every row.
  const packings = useMemo(
    () => new Map(estate ? sites.map((s) => [s, standingPacking(estate, s)] as const) : []),
    [estate, sites],
  );
  const mine = (works.data ?? []).filter((w) => ['cast', 'remove', 'power'].includes(w.kind)).slice(0, 4);
  return (
    <Space
      space="hypervisors"
      sheets={<SubNav site={site} />}
      title="Hypervisors"
      facts={`${estate?.sites.find((s) => s.name === site)?.title ?? 'all sites'} · ${counted(here.length, 'hypervisor')}, ${counted(guests.length, 'guest')} declared`}
      findings={findings}
      acts={
        <>
          <LinkButton to={scoped('/declare?kind=Hypervisor', site)}>Declare one</LinkButton>
          <Button filled data-key="a" disabled={!here.length || !estate?.moulds.length} onClick={() => setCasting(true)}>
            Cast guests…
          </Button>
        </>
      }
      extra={
        <>
          {estate &&
            [...packings].map(([s, packing]) => (
              <MarginPart key={s} title={`Left at ${estate.sites.find((x) => x.name === s)?.title ?? s}`}>
                <LeftAt packing={packing} />
              </MarginPart>
            ))}
          {mine.length > 0 && (
            <MarginPart title="Work">
              <Works works={mine} />
            </MarginPart>
          )}
        </>
      }
    >
      {estate && here.length ? (
        <>
          <table className="grid-table" aria-label="Hypervisors">
            <thead>
              <tr>
                <th>Hypervisor</th>
                <th>Zone</th>
                <th>Guests</th>
                <th>Memory promised</th>
                <th>vCPU promised</th>
                <th>Disk promised</th>
                <th>When it fails</th>
                <th>Reported</th>
              </tr>
            </thead>
            <tbody>
              {here.map((h) => (
                <Row
                  key={h.name}
                  of={h}
                  estate={estate}
                  packing={packings.get(h.site)}
                  lit={params.get('hypervisor') === h.name}
                />
              ))}
            </tbody>
          </table>
          <Guests estate={estate} site={site} />
          <Moulds estate={estate} />
        </>
      ) : (
        estate && (
          <Empty
            title="No hypervisor is declared here"
            act={
              <LinkButton filled to={scoped('/declare?kind=Hypervisor', site)}>
                Declare a hypervisor
              </LinkButton>
            }
          >
            A hypervisor has cores, memory, pools and bridges. Guests are cast on it from moulds; they are ordinary hosts.
          </Empty>
        )
      )}
      {casting && estate && <CastDialog estate={estate} site={site || (sites[0] as string)} onClose={() => setCasting(false)} />}
    </Space>
  );
}

const Bar = ({ used, of, unit }: { used: number; of: number; unit: string }) => (
  <div className="w-27">
    <div className="whitespace-nowrap">
      {used} of {of} {unit}
    </div>
    <div className="h-1.5 bg-rule-2/50">
      <div
        className={`h-full ${used > of ? 'bg-brick' : 'bg-verdigris'}`}
        style={{ width: `${Math.min(100, (used / Math.max(of, 1)) * 100)}%` }}
      />
    </div>
  </div>
);

function Row({ of: h, estate, packing, lit }: { of: Hypervisor; estate: Estate; packing: Packing | undefined; lit: boolean }) {
  const look = useCall<object>(() => ({ method: 'POST', path: `/api/hypervisors/${h.name}/look` }), '', [['estate']]);
  const bin = binOf(h);
  const on = standing(estate, h.site).filter((p) => p.on === h.name);
  const loss = packing?.losses.find((l) => l.hypervisor === h.name);
  const seen = estate.observed.hypervisors[h.name];
  const disk = on.reduce((s, p) => s + p.disks.reduce((n, d) => n + d.sizeGB, 0), 0);
  return (
    <>
      <tr aria-selected={lit}>
        <td className="font-semibold">
          {h.name}
          <At kind="Hypervisor" name={h.name} />
          <div className="font-normal">
            <Copy text={h.endpoint} className="text-ink-2 text-sm">
              {h.pools.map((p) => `${p.name} ${p.media}`).join(', ')}, {h.networks.length} bridges
            </Copy>
          </div>
        </td>
        <td>{h.zone ?? '—'}</td>
        <td>{on.length}</td>
        <td>
          <Bar used={on.reduce((s, p) => s + p.memoryGiB, 0)} of={bin.memoryGiB} unit="GiB" />
        </td>
        <td title={`${h.cores} cores, each promised ${h.overcommit} times at most`}>
          <Bar used={on.reduce((s, p) => s + p.vcpu, 0)} of={bin.cores * bin.overcommit} unit="" />
        </td>
        <td>
          <Bar used={disk} of={h.pools.reduce((s, p) => s + p.sizeGB, 0)} unit="GB" />
        </td>
        <td>
          {!loss ? (
            'no guest is lost'
          ) : loss.stranded.length ? (
            <span className="text-brick">
              {loss.stranded.length} of {loss.guests} find no room
            </span>
          ) : (
            <span
              className="whitespace-nowrap"
              title={loss.crowded.length ? `${loss.crowded.join(', ')} would share a hypervisor with their group` : undefined}
            >
              all find room,
              <br />
              {loss.memoryLeftGiB} GiB left
            </span>
          )}
        </td>
        <td>
          <button
            type="button"
            className="text-left hover:underline"
            title="look again"
            onClick={() => look.mutate()}
            disabled={look.isPending}
          >
            {!seen ? (
              <span className="text-ink-2">not looked at</span>
            ) : seen.error ? (
              <span className="text-brick">
                silent since <When at={seen.at} />
              </span>
            ) : (
              <span className="whitespace-nowrap" title={utc(seen.at)}>
                {seen.guests.filter((g) => g.state === 'running').length} run,
                <br />
                {seen.freeGiB} GiB free
              </span>
            )}
          </button>
        </td>
      </tr>
      {look.error && (
        <tr>
          <td colSpan={8}>
            <Refused error={look.error} />
          </td>
        </tr>
      )}
    </>
  );
}

const marks = (seen: SeenHypervisor | undefined, name: string): [MarkKind, string] => {
  const is = seen?.guests.find((g) => g.name === name);
  if (!seen || (seen.error && !is)) return ['hatched', 'not known'];
  return !is ? ['free', 'not cast'] : is.state === 'running' ? ['done', 'runs'] : ['half', 'off'];
};

function Guests({ estate, site }: { estate: Estate; site: string }) {
  const guests = estate.hosts.filter((h) => h.guest && (!site || h.site === site) && h.state !== 'retired');
  const declared = new Set(guests.map((g) => g.name));
  const strangers = estate.hypervisors
    .filter((h) => !site || h.site === site)
    .flatMap((h) =>
      (estate.observed.hypervisors[h.name]?.guests ?? []).filter((g) => !declared.has(g.name)).map((g) => ({ ...g, on: h.name })),
    );
  if (!guests.length && !strangers.length) return null;
  return (
    <section aria-label="Guests" className="pt-5">
      <h2 className="pb-1 text-lg">Guests</h2>
      <table className="grid-table">
        <thead>
          <tr>
            <th>Guest</th>
            <th>On</th>
            <th>
              <Own>Mould</Own>
            </th>
            <th>Separation group</th>
            <th>For</th>
            <th>State</th>
            <th>On hypervisor</th>
          </tr>
        </thead>
        <tbody>
          {guests.map((g) => {
            const [mark, said] = marks(estate.observed.hypervisors[g.guest?.hypervisor ?? ''], g.name);
            return (
              <tr key={g.name} data-row>
                <td className="font-semibold">
                  <Link className="hover:underline" to={scoped(`/hosts/${g.name}`, site)}>
                    {g.name}
                  </Link>
                </td>
                <td>{g.guest?.hypervisor}</td>
                <td>{g.guest?.mould}</td>
                <td className="text-ink-2">{g.guest?.group ?? '—'}</td>
                <td>
                  {g.held ? (
                    <Link className="text-verdigris underline underline-offset-2" to={`/clusters/${g.held.charter}`}>
                      {g.held.charter}
                    </Link>
                  ) : (
                    '—'
                  )}
                </td>
                <td>{g.state}</td>
                <td>
                  <span className="inline-flex items-center gap-1.5">
                    <Mark kind={mark} />
                    {said}
                  </span>
                </td>
              </tr>
            );
          })}
          {strangers.map((g) => (
            <tr key={`${g.on} ${g.name}`}>
              <td>
                <span className="inline-flex items-center gap-1.5 text-ink-2">
                  <Mark kind="sighted" />
                  {g.name}
                </span>
              </td>
              <td>{g.on}</td>
              <td colSpan={4} className="text-ink-2">
                not in the plan: {g.vcpu} vCPU, {g.memoryGiB} GiB that are not in the plan
              </td>
              <td>{g.state}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Moulds({ estate }: { estate: Estate }) {
  return (
    <section aria-label="Moulds" className="pt-5">
      <div className="flex items-baseline gap-3 pb-1">
        <h2 className="text-lg">
          <Own>Moulds</Own>
        </h2>
        <Link className="text-verdigris underline underline-offset-2" to="/declare?kind=Mould">
          Declare a mould
        </Link>
      </div>
      <table className="grid-table">
        <tbody>
          {estate.moulds.map((m) => (
            <tr key={m.name}>
              <td className="font-semibold">{m.name}</td>
              <td className="text-ink-2">{m.title}</td>
              <td>
                {m.vcpu} vCPU, {m.memoryGiB} GiB
              </td>
              <td>{m.disks.map((d) => `${gigabytesText(d.sizeGB)}${d.media ? ` ${d.media}` : ''}`).join(' + ')}</td>
              <td className="mono">{m.image}</td>
              <td>{m.networks.join(', ')}</td>
              <td className="text-ink-2">{estate.hosts.filter((h) => h.guest?.mould === m.name).length} guests</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function LeftAt({ packing: p }: { packing: Packing }) {
  const sum = (pick: (l: (typeof p.left)[number]) => number) => Math.round(p.left.reduce((n, l) => n + pick(l), 0));
  const worst = [...p.losses].sort((a, b) => a.memoryLeftGiB - b.memoryLeftGiB)[0];
  return (
    <div className="text-ink-2 leading-relaxed">
      <div>
        {sum((l) => l.memoryGiB)} GiB, {sum((l) => l.vcpu)} vCPU, {gigabytesText(sum((l) => l.diskGB))} to promise
      </div>
      {worst && (
        <div>
          after losing {worst.hypervisor}, {worst.memoryLeftGiB} GiB
          {worst.stranded.length ? `; ${worst.stranded.join(', ')} would be lost` : '; all guests find room'}
        </div>
      )}
    </div>
  );
}
