import { failedSteps, underWay } from '@praesidor/core/schedule';
import { spaceOf } from '@praesidor/core/address';
import type { Finding } from '@praesidor/core/checks';
import type { Estate, Site } from '@praesidor/core/model';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useActs, useBuilds, useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import RemedyDialog from '../../frame/RemedyDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Bastion } from '../../parts/Bastion.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { hostMark, Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';

export function EstateSpace() {
  const snapshot = useSnapshot();
  const report = useReport();
  const acts = useActs();
  const { inScope, site } = useScope();
  const navigate = useNavigate();
  const [remedy, setRemedy] = useState<Finding>();
  const estate = snapshot.data?.estate;
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site));
  const sites = (estate?.sites ?? [])
    .filter((s) => inScope(s.name))
    .sort((a, b) => order(a) - order(b) || a.title.localeCompare(b.title));
  const moves = (report.data?.moves ?? []).filter((m) => inScope(m.site));
  if (!estate)
    return (
      <Space space="estate" title="Estate" findings={[]}>
        {snapshot.error && <p className="pt-4 text-brick">{snapshot.error.message}</p>}
      </Space>
    );
  return (
    <Space
      space="estate"
      title="Estate"
      facts={`${sites.length} ${sites.length === 1 ? 'site' : 'sites'} · ${estate.hosts.filter((h) => inScope(h.site)).length} hosts · ${estate.charters.filter((c) => inScope(c.site)).length} clusters`}
      findings={findings}
      acts={<LinkButton to={scoped('/declare', site)}>Declare…</LinkButton>}
      extra={
        <MarginPart title="Recent acts">
          {acts.data?.pages[0]?.slice(0, 8).map((a) => (
            <div key={a.id} className="flex gap-2 py-0.5 text-ink-2">
              <span className="mono text-ink-3" title={a.at}>
                <When at={a.at} />
              </span>
              <span className="min-w-0 truncate" title={`${a.who} ${a.act} ${a.subject}`}>
                {a.who} {a.act} {a.subject}
              </span>
            </div>
          ))}
        </MarginPart>
      }
      foot={
        report.data && (
          <span>
            Checked {report.data.checks} rules in {report.data.ms.toFixed(0)} ms. {report.data.holding} hold.
          </span>
        )
      }
    >
      <div>
        {sites.map((s) => (
          <Strip key={s.name} site={s} estate={estate} findings={findings.filter((f) => f.site === s.name)} />
        ))}
      </div>
      {!estate.sites.length && (
        <Empty
          title="Nothing is declared yet"
          act={
            <LinkButton filled to="/declare?kind=Site">
              Declare the first site
            </LinkButton>
          }
        >
          A site comes first: where machines stand, how it is reached, its resolvers and racks. An estate exported elsewhere can
          be opened on the same page.
        </Empty>
      )}
      {estate.sites.length > 0 && <h2 className="pt-5 pb-1 text-lg">Next moves</h2>}
      {estate.sites.length > 0 && moves.length === 0 && (
        <p className="text-ink-2">Nothing waits to be done{site ? ' at this site' : ''}.</p>
      )}
      <ol aria-label="Next moves">
        {moves.slice(0, 12).map((m, i) => {
          const f = m.remedy?.edits
            ? findings.find((x) => x.remedy === m.remedy || (x.remedy?.label === m.remedy?.label && x.site === m.site))
            : undefined;
          return (
            <li
              key={`${m.text}`}
              data-row
              tabIndex={-1}
              className="flex items-baseline gap-3.5 border-rule border-b py-1.5"
              onKeyDown={(e) => {
                if (e.key === 'Enter' && e.target === e.currentTarget) {
                  if (f) setRemedy(f);
                  else void navigate(m.go);
                }
              }}
            >
              <b className="w-3.5 text-right">{i + 1}</b>
              <span className="min-w-0 flex-1">{m.text}</span>
              {f ? (
                <button type="button" className="font-semibold text-verdigris hover:underline" onClick={() => setRemedy(f)}>
                  {m.label}
                </button>
              ) : (
                <Link className="font-semibold text-verdigris hover:underline" to={m.go}>
                  {m.label}
                </Link>
              )}
            </li>
          );
        })}
      </ol>
      {moves.length > 12 && <p className="pt-2 text-ink-3">and {moves.length - 12} more</p>}
      {remedy && <RemedyDialog finding={remedy} onClose={() => setRemedy(undefined)} />}
    </Space>
  );
}

const order = (s: Site) => ({ hall: 0, 'sealed-room': 1, edge: 2 })[s.form];

function Strip({ site, estate, findings }: { site: Site; estate: Estate; findings: Finding[] }) {
  const builds = useBuilds();
  const hosts = estate.hosts
    .filter((h) => h.site === site.name)
    .sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  const known = new Set(estate.hosts.map((h) => h.bmc?.address));
  const sighted = estate.observed.sightings.filter((s) => s.site === site.name && !known.has(s.address));
  const networks = estate.networks
    .filter((n) => n.site === site.name)
    .map((n) => ({
      n,
      full: spaceOf(
        { ...n, pools: [], dhcp: [] },
        estate.reservations.filter((r) => r.network === n.name).map((r) => r.address),
      ).fullness(),
    }))
    .sort((a, b) => b.full - a.full);
  const tight = networks[0];
  const charters = estate.charters.filter((c) => c.site === site.name);
  const registry = estate.registries.find((r) => r.site === site.name && r.role !== 'source');
  const seen = registry && estate.observed.registries[registry.name];
  const held = new Set(seen?.digests);
  const wanted = [...new Set(charters.flatMap((c) => [c.release, ...c.addons]))]
    .map((n) => estate.observed.bills[n])
    .filter((b) => b !== undefined);
  const short = new Set(wanted.flatMap((b) => Object.keys(b.blobs).filter((d) => !held.has(d)))).size;
  const worst = findings.some((f) => f.severity === 'stop')
    ? 'stop'
    : findings.some((f) => f.severity === 'mind')
      ? 'mind'
      : 'note';
  const label = 'text-ink-3 text-sm';
  return (
    <section aria-label={site.title} className="grid grid-cols-[190px_1.2fr_160px_1fr_1fr] gap-x-4 border-rule border-b py-3">
      <div>
        <h2 className="text-lg">
          <Link to={`/estate?site=${site.name}`} className="hover:underline">
            {site.title}
          </Link>
          {findings.length > 0 && (
            <span className="ml-1.5">
              <Bastion severity={worst} number={findings.length} />
            </span>
          )}
        </h2>
        <div className="text-ink-2">
          {{ hall: 'hall', 'sealed-room': 'sealed room', edge: 'edge' }[site.form]} · {site.reach}
          {site.link?.hours ? `, ${site.link.hours}` : ''}
        </div>
      </div>
      <div>
        <div className={label}>hosts</div>
        <Link
          to={`/hosts?site=${site.name}`}
          aria-label={`${hosts.length} hosts at ${site.title}`}
          className="flex flex-wrap gap-[3px] pt-1"
        >
          {hosts.map((h) => (
            <Mark key={h.name} kind={hostMark(h.state)} title={`${h.name}, ${h.state}`} />
          ))}
          {sighted.map((s) => (
            <Mark key={s.address} kind="sighted" title={`${s.address}, sighted`} />
          ))}
          {!hosts.length && !sighted.length && <span className="text-ink-2">none listed</span>}
        </Link>
      </div>
      <div>
        <div className={label}>{tight ? `${tight.n.name} ${Math.round(tight.full * 100)} % taken` : 'networks'}</div>
        {tight && (
          <Link
            to={`/addresses?site=${site.name}&net=${tight.n.name}`}
            aria-label={`${tight.n.name}, ${Math.round(tight.full * 100)} percent taken`}
            className="mt-1.5 block h-[6px] w-[140px] bg-rule-2/40"
          >
            <span
              className={`block h-full ${tight.full > 0.7 ? 'bg-ochre' : 'bg-slate'}`}
              style={{ width: `${tight.full * 100}%` }}
            />
          </Link>
        )}
      </div>
      <div>
        <div className={label}>images held</div>
        <div className="pt-0.5">
          {!registry
            ? 'no registry'
            : !seen
              ? 'not looked at yet'
              : seen.error && !seen.digests.length
                ? 'out of reach'
                : `${[...new Set(charters.map((c) => c.release))].join(', ')}${short ? `, ${short} layers short` : wanted.length ? '' : ', bill not computed yet'}`}
        </div>
      </div>
      <div>
        <div className={label}>clusters</div>
        <div className="flex flex-wrap gap-x-3.5 pt-0.5">
          {charters.map((c) => {
            const nodes = hosts.filter((h) => h.held?.charter === c.name);
            const last = builds.data?.find((b) => b.charter === c.name);
            const building = last && underWay(last.status);
            const failed =
              last && (last.status.state === 'failed' || (building && failedSteps(last.steps, last.status).length > 0));
            return (
              <Link
                key={c.name}
                to={`/clusters/${c.name}?site=${site.name}`}
                className="flex items-center gap-1.5 hover:underline"
              >
                <Mark
                  kind={
                    failed
                      ? 'failing'
                      : nodes.some((n) => n.state === 'serving')
                        ? 'done'
                        : building || nodes.length
                          ? 'half'
                          : 'free'
                  }
                />
                {c.name}
                {failed && <span className="text-brick">build failed</span>}
              </Link>
            );
          })}
        </div>
      </div>
    </section>
  );
}
