import type { HostPage as PageAnswer } from '@praesidor/contract';
import { gigabytesText } from '@praesidor/core/words';
import { firmwareLines, firmwarePlan, baselineOf, portsOf } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { lazy, Suspense, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { hostMark, Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { clock, day, utc } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { BmcActs, EventLog } from './BmcActs.tsx';
import { FirmwareDialog } from './FirmwareDialog.tsx';
import { GuestActs } from './GuestActs.tsx';
import { HostAside } from './HostAside.tsx';
import { useJudge } from './judge.ts';
import { usePage } from './page.ts';
import { Requirements } from './Requirements.tsx';
import { DrainDialog } from './SelectionBar.tsx';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { Uplink } from './Uplink.tsx';
import { Works } from './Works.tsx';
import { useBeginWork, useStateAct } from './works.ts';

const Sensors = lazy(() => import('./Sensors.tsx'));

/** Everything about one host: what it has and what is asked of it, what hangs on it, what was done to it. */
export function HostPage() {
  const { name = '' } = useParams();
  const { site } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const host = estate?.hosts.find((h) => h.name === name);
  const page = usePage(name);
  const findings = (report.data?.findings ?? []).filter((f) => f.subject.kind === 'Host' && f.subject.name === name);
  if (!estate)
    return (
      <Space space="host" title={name} findings={[]}>
        {null}
      </Space>
    );
  if (!host)
    return (
      <Space space="host" title={name} findings={[]}>
        <Empty title={`There is no host ${name}`} act={<LinkButton to={scoped('/hosts', site)}>All hosts</LinkButton>}>
          It may have been merged into another one, or never listed. The record tells.
        </Empty>
      </Space>
    );
  return (
    <Space
      space="host"
      edits={`Host ${name}`}
      crumbs={
        <Link to={scoped('/hosts', site)} className="hover:underline">
          Hosts
        </Link>
      }
      title={host.name}
      facts={<Subject host={host} estate={estate} />}
      findings={findings}
      acts={page.data && <Acts host={host} page={page.data} estate={estate} />}
      extra={<HostAside host={host} estate={estate} page={page.data} />}
    >
      <Refused error={page.error} />
      <Body host={host} estate={estate} page={page.data} />
    </Space>
  );
}

function Subject({ host, estate }: { host: Host; estate: Estate }) {
  const f = host.facts;
  return (
    <span className="inline-flex items-center gap-2">
      <Mark kind={hostMark(host.state)} />
      {host.drained ? 'serving, drained' : host.state}
      {host.held ? ` for ${host.held.charter} as ${host.held.role === 'worker' ? 'worker' : 'control plane'}` : ''}
      {' · '}
      {f ? `${f.maker} ${f.model}, ${f.serial}` : 'no facts yet'}
      {' · '}
      {estate.sites.find((s) => s.name === host.site)?.title}
      {host.guest ? `, on ${host.guest.hypervisor}` : host.rack ? `, ${host.rack} u${host.unit}, zone ${host.zone ?? '?'}` : ''}
    </span>
  );
}

function Acts({ host, page, estate }: { host: Host; page: PageAnswer; estate: Estate }) {
  const state = useStateAct();
  const work = useBeginWork();
  const [doing, setDoing] = useState<'drain' | 'wipe' | 'firmware'>();
  const plan = firmwarePlan(host, estate.baselines);
  const next = page.acts.filter((a) => !a.refused).slice(0, 2);
  return (
    <>
      {next.map((a) => (
        <Button
          key={a.act}
          disabled={state.isPending}
          onClick={() => (a.act === 'drain' ? setDoing('drain') : state.mutate({ act: a.act, hosts: [host.name] }))}
        >
          {a.label}
        </Button>
      ))}
      {host.state === 'resting' && !host.wiped ? (
        <Button filled onClick={() => setDoing('wipe')}>
          Wipe…
        </Button>
      ) : plan.steps.length > 0 && !plan.refused ? (
        <Button filled onClick={() => setDoing('firmware')}>
          Firmware…
        </Button>
      ) : (
        !host.guest &&
        (host.bmc && !host.bmc.fingerprint ? (
          <LinkButton filled to={`/hosts?site=${host.site}&sweep=${host.bmc.address}`}>
            Find its BMC
          </LinkButton>
        ) : (
          <Button filled disabled={!host.bmc || work.isPending} onClick={() => work.mutate({ kind: 'read', hosts: [host.name] })}>
            Read facts
          </Button>
        ))
      )}
      {doing === 'drain' && <DrainDialog hosts={[host]} onClose={() => setDoing(undefined)} />}
      {doing === 'firmware' && <FirmwareDialog hosts={[host]} estate={estate} onClose={() => setDoing(undefined)} />}
      {doing === 'wipe' && (
        <TypedDialog
          title={`Wipe ${host.name}`}
          about="Every drive erases itself; what was on it is gone for good. What each drive answers is kept as the proof."
          words={host.name}
          act="Wipe"
          onDone={() => work.mutate({ kind: 'wipe', hosts: [host.name] })}
          onClose={() => setDoing(undefined)}
          same={() => work.call({ kind: 'wipe', hosts: [host.name] })}
        />
      )}
    </>
  );
}

function Body({ host, estate, page }: { host: Host; estate: Estate; page: PageAnswer | undefined }) {
  const judge = useJudge();
  const fits = judge(host);
  const f = host.facts;
  const baseline = baselineOf(f, estate.baselines);
  const ports = portsOf(host, estate);
  return (
    <div className="grid grid-cols-[minmax(0,1.25fr)_minmax(0,1fr)] gap-x-8">
      <div>
        <Part title="Facts and requirements">
          {f ? (
            <>
              <div className="text-ink-2" title={utc(f.at)}>
                {f.source === 'bmc'
                  ? `read over its BMC ${day(f.at)}, ${clock(f.at)}`
                  : f.source === 'mould'
                    ? 'by its mould'
                    : `imported ${day(f.at)}`}
                {f.health ? ` · health ${f.health}` : ''}
                {f.drawsW === undefined ? '' : ` · draws ${f.drawsW} W${f.suppliesW ? ` of ${f.suppliesW} W` : ''}`}
                {f.processors?.[0]?.model ? ` · ${f.processors.length} × ${f.processors[0].model}` : ''}
              </div>
              {f.unreadParts?.length ? <p className="text-ochre">Not read: {f.unreadParts.join('; ')}</p> : null}
              <Requirements fits={fits} />
            </>
          ) : (
            <p className="text-ink-2">No facts have been read.</p>
          )}
        </Part>
        <Part title="Disks">
          <table className="grid-table">
            <tbody>
              {f?.disks.map((d) => (
                <tr key={d.bay}>
                  <td>{d.bay}</td>
                  <td>
                    {gigabytesText(d.sizeGB)} {d.media}
                  </td>
                  <td className="text-ink-2">{[d.model, d.serial].filter(Boolean).join(', ')}</td>
                  <td className={d.lifeLeft !== undefined && d.lifeLeft < 20 ? 'text-brick' : 'text-ink-2'}>
                    {d.lifeLeft === undefined ? '' : `${d.lifeLeft} % left`}
                  </td>
                  <td className={d.health && d.health !== 'OK' ? 'font-semibold text-brick' : 'text-ink-2'}>{d.health ?? ''}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Part>
        <Part title="Adapters and their networks">
          <table className="grid-table">
            <tbody>
              {ports.map(({ nic, networks }) => (
                <tr key={nic.mac}>
                  <td>{nic.name}</td>
                  <td>
                    <Copy text={nic.mac} className="mono" />
                  </td>
                  <td className={nic.link ? '' : 'text-brick'}>{nic.link ? `${nic.speedGbit} Gbit/s` : 'no link'}</td>
                  <td className="text-ink-2">{nic.neighbour ? `${nic.neighbour.name} ${nic.neighbour.port}` : ''}</td>
                  <td>
                    {networks.map((n) => (
                      <Link
                        key={n.name}
                        className="follows mr-2 hover:underline"
                        title={`known by its ${n.by}`}
                        to={`/addresses?site=${host.site}&net=${n.name}${n.address ? `&at=${n.address}` : ''}`}
                      >
                        {n.name}
                        {n.address ? <span className="mono"> {n.address}</span> : ''}
                      </Link>
                    ))}
                    {networks
                      .filter((n) => n.address)
                      .slice(0, 1)
                      .map((n) => (
                        <Link
                          key={`trace ${n.name}`}
                          className="text-verdigris hover:underline"
                          to={`/addresses/trace?site=${host.site}&to=${n.name}/${n.address}`}
                        >
                          Trace
                        </Link>
                      ))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <Uplink host={host} />
        </Part>
        {!host.guest && (
          <Part title="Sensors">
            <Suspense fallback={<div className="h-[180px]" />}>
              <Sensors host={host.name} samples={page?.samples ?? []} live={host.bmc?.fingerprint !== undefined} />
            </Suspense>
          </Part>
        )}
      </div>
      <div>
        {host.guest ? (
          <Part title="Guest">
            <p>
              Cast from{' '}
              <Link className="text-verdigris underline underline-offset-2" to={`/hosts/hypervisors?site=${host.site}`}>
                {host.guest.mould}
              </Link>{' '}
              on {host.guest.hypervisor}, volumes in {host.guest.pools.join(', ') || 'no pool'}
              {host.guest.group ? `, apart from others of ${host.guest.group}` : ''}.
            </p>
            <GuestActs host={host} estate={estate} />
          </Part>
        ) : (
          <Part title="Controller">
            <BmcActs host={host} />
          </Part>
        )}
        <Part title="Firmware against the baseline">
          {f && baseline ? (
            <table className="grid-table" aria-label="Firmware">
              <tbody>
                {firmwareLines(f, baseline).map((l) => (
                  <tr key={l.part}>
                    <td>{l.part}</td>
                    <td className={`mono ${l.ok ? '' : 'font-semibold text-brick'}`}>{l.stands}</td>
                    <td className="text-ink-2">{l.wanted}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          ) : (
            <p className="text-ink-2">
              {f?.source === 'mould'
                ? 'A guest has none of its own.'
                : f
                  ? `No baseline is declared for ${f.model}.`
                  : 'Not known yet.'}
            </p>
          )}
        </Part>
        <Part title="Work">{page ? <Works works={page.works} host={host.name} /> : null}</Part>
        <Part title="What changed">
          {page?.facts.some((x) => x.changes.length) ? (
            page.facts
              .filter((x) => x.changes.length)
              .slice(0, 8)
              .map((x) => (
                <div key={x.at} className="py-1">
                  <span className="text-ink-2">
                    <When at={x.at} as="both" />
                  </span>
                  {x.changes.map((c) => (
                    <div key={c.text} className={c.heavy ? '' : 'text-ink-2'}>
                      {c.what}: {c.text}
                    </div>
                  ))}
                </div>
              ))
          ) : (
            <p className="text-ink-2">Nothing since it was listed.</p>
          )}
        </Part>
        {host.wiped && (
          <Part title="Wiped">
            <p className="text-ink-2">
              <When at={host.wiped.at} as="day" /> by {host.wiped.by}
            </p>
            {host.wiped.drives.map((d) => (
              <div key={d}>{d}</div>
            ))}
          </Part>
        )}
        {!host.guest && host.bmc?.fingerprint && (
          <Part title="Event log">
            <EventLog name={host.name} />
          </Part>
        )}
      </div>
    </div>
  );
}

const Part = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <section aria-label={title} className="pt-4">
    <h2 className="pb-1 text-md">{title}</h2>
    {children}
  </section>
);
