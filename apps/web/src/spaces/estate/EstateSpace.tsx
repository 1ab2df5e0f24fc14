import { counted } from '@praesidor/core/words';
import { underWay } from '@praesidor/core/schedule';
import { spaceOf } from '@praesidor/core/address';
import type { Finding } from '@praesidor/core/checks';
import {
  billsOf,
  byName,
  type Charter,
  type Estate,
  type Host,
  type Network,
  type Registry,
  type Sighting,
  type Site,
  holdsCount,
} from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useActs, useApprovals, useBuilds, useMe, useProposals, useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import RemedyDialog from '../../frame/RemedyDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { KnownAsOf } from '../../parts/KnownAsOf.tsx';
import { FindingMarker } from '../../parts/FindingMarker.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { hostMark, Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { useReport } from '../../state/computed.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';
import { stateOf } from '../proposals/proposal-state.ts';

export function EstateSpace() {
  const snapshot = useSnapshot();
  const report = useReport();
  const acts = useActs();
  const { inScope, site } = useScope();
  const [remedy, setRemedy] = useState<Finding>();
  const estate = snapshot.data?.estate;
  const all = report.data?.findings;
  const findings = useMemo(() => (all ?? []).filter((f) => !site || f.site === site), [all, site]);
  const sites = useMemo(
    () =>
      estate
        ? sitesOf(estate, findings)
            .filter((h) => !site || h.site.name === site)
            .sort(
              (a, b) =>
                a.worst - b.worst || byForm[a.site.form] - byForm[b.site.form] || a.site.title.localeCompare(b.site.title),
            )
        : [],
    [estate, findings, site],
  );
  const moves = (report.data?.moves ?? []).filter((m) => !m.site || inScope(m.site));
  const waits = useWaits();
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
      facts={`${counted(sites.length, 'site')} · ${counted(estate.hosts.filter((h) => inScope(h.site)).length, 'host')} · ${counted(estate.charters.filter((c) => inScope(c.site)).length, 'cluster')}`}
      findings={findings}
      sheets={<SubNav site={site} />}
      acts={
        <>
          <LinkButton to={scoped('/proposals', site)}>Proposals{waits.open ? ` (${waits.open})` : ''}</LinkButton>
          <LinkButton to={scoped('/declare', site)}>Declare…</LinkButton>
        </>
      }
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
          <Link className="font-semibold text-verdigris hover:underline" to={scoped('/estate/changed', site)}>
            What changed since my last visit
          </Link>
        </MarginPart>
      }
      foot={
        report.data && (
          <span>
            {report.data.checks} checks in {report.data.ms.toFixed(0)} ms. {report.data.passed} find nothing.
          </span>
        )
      }
    >
      {sites.length <= few && <Sites list={sites} estate={estate} />}
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
      {(estate.sites.length > 0 || moves.length > 0) && <h2 className="pt-5 pb-1 text-lg">Next moves</h2>}
      {estate.sites.length > 0 && report.data && moves.length === 0 && !waits.lines.length && (
        <p className="text-ink-2">Nothing waits to be done{site ? ' at this site' : ''}.</p>
      )}
      {waits.lines.map((w) => (
        <p key={w.to} data-row tabIndex={-1} className="flex items-baseline gap-3.5 border-rule border-b py-1.5">
          <b className="w-3.5 text-right text-ochre">•</b>
          <span className="min-w-0 flex-1">{w.text}</span>
          <Link className="font-semibold text-verdigris hover:underline" to={scoped(w.to, site)}>
            {w.label}
          </Link>
        </p>
      ))}
      <ol aria-label="Next moves">
        {moves.slice(0, 12).map((m, i) => {
          const f = m.remedy?.edits
            ? findings.find((x) => x.remedy === m.remedy || (x.remedy?.label === m.remedy?.label && x.site === m.site))
            : undefined;
          return (
            <li key={`${m.text}`} data-row tabIndex={-1} className="flex items-baseline gap-3.5 border-rule border-b py-1.5">
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
      {sites.length > few && (
        <div className="pt-5">
          <Sites list={sites} estate={estate} />
        </div>
      )}
      {remedy && <RemedyDialog finding={remedy} onClose={() => setRemedy(undefined)} />}
    </Space>
  );
}

/** What waits for whoever looks, as their second person; and how much is proposed. */
function useWaits(): { open: number; lines: { text: string; label: string; to: string }[] } {
  const login = useMe().data?.login ?? '';
  const leave = useMay();
  const open = (useProposals().data ?? []).filter((p) => p.state === 'open');
  const runs = useApprovals().data ?? [];
  if (!leave.may('proposals.approve')) return { open: open.length, lines: [] };
  return {
    open: open.length,
    lines: [
      ...runs
        .filter((r) => r.by !== login)
        .map((r) => ({
          text: `${r.title} at ${r.site} waits until somebody other than ${r.by} approves it`,
          label: 'Approve',
          to: r.charter ? `/builds/${r.charter}/${r.number}` : '/proposals',
        })),
      ...open
        .filter((p) => p.asks && stateOf(p, login).yours && !p.approvals.length)
        .map((p) => ({
          text: `Proposal ${p.id} of ${p.by} waits for a second person: ${p.title}`,
          label: 'Read',
          to: `/proposals/${p.id}`,
        })),
    ].slice(0, 6),
  };
}

/** Few sites are shown in full; of many, those with something wrong, and the rest as lines that open. */
const few = 6;
const severityRank = { stop: 0, mind: 1, note: 2 } as const;
const byForm = { hall: 0, 'sealed-room': 1, edge: 2 } as const;

/** What stands at a site, gathered once for all of them. */
interface Here {
  site: Site;
  hosts: Host[];
  sighted: Sighting[];
  networks: Network[];
  charters: Charter[];
  registry: Registry | undefined;
  findings: Finding[];
  /** 0 stops something, 1 hurts later, 2 is worth knowing, 3 nothing. */
  worst: number;
}

function sitesOf(estate: Estate, findings: readonly Finding[]): Here[] {
  const by = <T extends { site: string }>(list: readonly T[]) => {
    const out = new Map<string, T[]>();
    for (const x of list) {
      const there = out.get(x.site);
      if (there) there.push(x);
      else out.set(x.site, [x]);
    }
    return (site: string) => out.get(site) ?? [];
  };
  const known = new Set(estate.hosts.map((h) => h.bmc?.address));
  const hosts = by(estate.hosts);
  const sighted = by(estate.observed.sightings.filter((s) => !known.has(s.address)));
  const networks = by(estate.networks);
  const charters = by(estate.charters);
  const registries = by(estate.registries.filter((r) => r.role !== 'source'));
  const found = by(findings);
  return estate.sites.map((site) => ({
    site,
    hosts: hosts(site.name),
    sighted: sighted(site.name),
    networks: networks(site.name),
    charters: charters(site.name),
    registry: registries(site.name)[0],
    findings: found(site.name),
    worst: Math.min(3, ...found(site.name).map((f) => severityRank[f.severity])),
  }));
}

/** Many sites: those that something is wrong with first, in full while they are few, the others as lines by their state. */
function Sites({ list, estate }: { list: Here[]; estate: Estate }) {
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const reserved = useMemo(() => {
    const out = new Map<string, string[]>();
    for (const r of estate.reservations) {
      const there = out.get(r.network);
      if (there) there.push(r.address);
      else out.set(r.network, [r.address]);
    }
    return out;
  }, [estate]);
  const strip = (h: Here) => <Strip key={h.site.name} here={h} estate={estate} reserved={reserved} />;
  if (list.length <= few) return <div>{list.map(strip)}</div>;
  const groups = [
    ['with a stop', 0],
    ['with something that will hurt', 1],
    ['with notes', 2],
    ['without findings', 3],
  ] as const;
  return (
    <div>
      {groups.map(([title, worst]) => {
        const sites = list.filter((h) => h.worst === worst);
        if (!sites.length) return null;
        const shown = open.has(title) || (sites.length <= few && worst < 2);
        return (
          <section key={title} aria-label={`Sites ${title}`}>
            <h2 className="border-rule border-b py-1.5 text-md">
              <button
                type="button"
                data-row
                aria-expanded={shown}
                className="flex w-full items-baseline gap-2 text-left"
                onClick={() => setOpen((o) => new Set(shown ? [...o].filter((t) => t !== title) : [...o, title]))}
              >
                {counted(sites.length, 'site')} {title}
                <span className="min-w-0 truncate font-normal font-sans text-ink-2 text-sm">
                  {sites
                    .slice(0, 8)
                    .map((h) => h.site.title)
                    .join(', ')}
                  {sites.length > 8 ? ` and ${sites.length - 8} more` : ''}
                </span>
              </button>
            </h2>
            {shown && sites.slice(0, 60).map(strip)}
            {shown && sites.length > 60 && (
              <p className="py-1 text-ink-2">and {sites.length - 60} more: choose one as the scope</p>
            )}
          </section>
        );
      })}
    </div>
  );
}

function Strip({ here, estate, reserved }: { here: Here; estate: Estate; reserved: ReadonlyMap<string, string[]> }) {
  const builds = useBuilds();
  const { site, findings, sighted, charters, registry } = here;
  const hosts = [...here.hosts].sort(byName);
  const networks = here.networks
    .map((n) => ({ n, full: spaceOf({ ...n, pools: [], dhcp: [] }, reserved.get(n.name) ?? []).fullness() }))
    .sort((a, b) => b.full - a.full);
  const tight = networks[0];
  const seen = registry && estate.observed.registries[registry.name];
  const held = new Set(seen?.digests);
  const wanted = [...new Set(charters.flatMap((c) => billsOf(c)))]
    .map((n) => estate.observed.bills[n])
    .filter((b) => b !== undefined);
  const short = new Set(wanted.flatMap((b) => Object.keys(b.blobs).filter((d) => !held.has(d)))).size;
  const worst = (['stop', 'mind', 'note'] as const)[here.worst] ?? 'note';
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
              <FindingMarker severity={worst} number={findings.length} />
            </span>
          )}
        </h2>
        <div className="text-ink-2">
          {{ hall: 'hall', 'sealed-room': 'sealed room', edge: 'edge' }[site.form]} · {site.reach}
          {site.link?.hours ? `, ${site.link.hours}` : ''}
        </div>
        <KnownAsOf site={site.name} />
      </div>
      <div>
        <div className={label}>hosts</div>
        <Link
          to={`/hosts?site=${site.name}`}
          aria-label={hosts.length ? `${counted(hosts.length, 'host')} at ${site.title}` : `none listed at ${site.title}`}
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
        <div className={label}>images at the mirror</div>
        <div className="pt-0.5">
          {!registry
            ? 'no registry'
            : !seen
              ? 'not looked at yet'
              : seen.error && !holdsCount(seen)
                ? 'out of reach'
                : `${[...new Set(charters.map((c) => c.release))].join(', ')}${short ? `, ${counted(short, 'layer')} missing` : wanted.length ? '' : ', bill not computed yet'}`}
        </div>
      </div>
      <div>
        <div className={label}>clusters</div>
        <div className="flex flex-wrap gap-x-3.5 pt-0.5">
          {charters.map((c) => {
            const nodes = hosts.filter((h) => h.held?.charter === c.name);
            const last = builds.data?.find((b) => b.charter === c.name);
            const building = last && underWay(last);
            const failed = last && (last.state === 'failed' || (building && last.failed > 0));
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
