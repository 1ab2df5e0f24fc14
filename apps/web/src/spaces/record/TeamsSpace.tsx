import { type Role, roleAnywhere, roles } from '@praesidor/core/access';
import type { AllowanceMeasure, TeamRow } from '@praesidor/core/teams';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { type AccountDto, useAccounts, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { useReport } from '../../state/computed.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import { PeopleNav } from './PeopleNav.tsx';

/** With the unit, which stands once behind both numbers. */
const measures: readonly [AllowanceMeasure, label: string, unit: string][] = [
  ['hosts', 'Hosts', ''],
  ['cores', 'Cores', ''],
  ['memoryGiB', 'Memory', ' GiB'],
  ['storageGB', 'Disks', ' GB'],
  ['addresses', 'Addresses', ''],
];

/** Whose clusters there are, how much of the estate they take, and how much they may. */
export function TeamsSpace() {
  const { site, params } = useScope();
  const leave = useMay();
  const manage = leave.may('accounts.manage');
  const accounts = useAccounts(manage).data;
  const snapshot = useSnapshot().data;
  const rows = useQuery({
    queryKey: ['teams', snapshot?.state],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? (await computerWith(snapshot)).teams() : []),
  }).data;
  const list = rows ?? [];
  const findings = (useReport().data?.findings ?? []).filter((f) => f.code.startsWith('ACC'));
  const begin = (
    <LinkButton filled to={scoped('/declare?kind=Team&back=/people/teams', site)}>
      New team…
    </LinkButton>
  );
  // A measure that no team has a limit of, and no team takes of, is left out.
  const shown = measures.filter(([m]) => m === 'hosts' || list.some((r) => r.team.allowance[m] !== undefined));
  return (
    <Space
      space="teams"
      title="Teams"
      facts={counted(list.length, 'team')}
      sheets={<PeopleNav />}
      findings={findings}
      acts={manage ? begin : undefined}
    >
      {rows && !list.length ? (
        <Empty title="No team is declared" act={manage ? begin : undefined}>
          A team has clusters of its own, at some sites, up to an allowance. Who is in it is set under People.
        </Empty>
      ) : (
        <>
          <table className="grid-table mt-2" aria-label="Teams">
            <thead>
              <tr>
                <th>Team</th>
                <th>Sites</th>
                {shown.map(([m, label]) => (
                  <th key={m}>{label}</th>
                ))}
                <th>Clusters</th>
                <th>Moulds and templates</th>
              </tr>
            </thead>
            <tbody>
              {list.map((r) => (
                <tr
                  key={r.team.name}
                  data-row
                  tabIndex={-1}
                  className={`align-top ${params.get('at') === r.team.name ? 'lit' : ''}`}
                >
                  <td>
                    <Link
                      className="font-semibold hover:underline"
                      to={scoped(`/declare?edit=${encodeURIComponent(`Team ${r.team.name}`)}&back=/people/teams`, site)}
                    >
                      {r.team.title || r.team.name}
                    </Link>
                    <At kind="Team" name={r.team.name} />
                    <span className="block text-ink-2 text-sm">{accounts ? peopleOf(accounts, r.team.name) : r.team.name}</span>
                  </td>
                  <td className="whitespace-normal!">{r.team.sites ? r.team.sites.join(', ') || 'none' : 'all'}</td>
                  {shown.map(([m, label, unit]) => (
                    <td key={m}>
                      <Taken label={`${label} of ${r.team.name}`} row={r} measure={m} unit={unit} />
                    </td>
                  ))}
                  <td className="whitespace-normal!">
                    <Clusters row={r} site={site} />
                  </td>
                  <td className="max-w-[160px] whitespace-normal!">{mayUse(r)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="pt-2 text-ink-2 text-sm">
            Filled: held or in use. Hatched: planned besides. A charter beyond the allowance can be saved; nothing is held for it,
            and it cannot be built.
          </p>
        </>
      )}
    </Space>
  );
}

/** `2 builders, 1 planner`, by the most that each may somewhere. */
function peopleOf(accounts: readonly AccountDto[], team: string): string {
  const of = accounts.filter((a) => !a.disabled && a.teams.includes(team)).map(roleAnywhere);
  const count = (r: Role) => of.filter((x) => x === r).length;
  return (
    [...roles]
      .reverse()
      .flatMap((r) => (count(r) ? [counted(count(r), r)] : []))
      .join(', ') || 'nobody is in it'
  );
}

function mayUse({ team }: TeamRow): string {
  if (!team.moulds && !team.templates) return 'all';
  const list = (names: string[] | undefined, what: string) => (names ? names.join(', ') || `no ${what}` : `all ${what}`);
  return `${list(team.moulds, 'moulds')}; ${list(team.templates, 'templates')}`;
}

function Clusters({ row, site }: { row: TeamRow; site: string }) {
  if (!row.clusters.length) return <span className="text-ink-3">none</span>;
  const most = row.team.allowance.clusters;
  return (
    <>
      {row.clusters.map((c, n) => (
        <span key={c.name}>
          {n > 0 && ', '}
          <Link className={`hover:underline ${c.stands ? '' : 'text-ink-2'}`} to={scoped(`/clusters/${c.name}`, site)}>
            {c.name}
          </Link>
        </span>
      ))}
      {most !== undefined && (
        <span className="block text-ink-2 text-sm">
          {row.stands.clusters} of {most}
        </span>
      )}
    </>
  );
}

/** How much of a measure a team has, of how much it may: what it has filled, what it has planned besides hatched. */
function Taken(of: { label: string; row: TeamRow; measure: AllowanceMeasure; unit: string }) {
  const { label, row, measure, unit } = of;
  const whole = (n: number) => Math.round(n);
  const [has, plans, most] = [row.stands[measure], row.planned[measure], row.team.allowance[measure]];
  const more = plans > has ? `, ${whole(plans)}${unit} planned` : '';
  if (most === undefined)
    return (
      <span title={plans > has ? `${whole(plans)}${unit} planned` : undefined}>
        {whole(has)}
        {unit}
        <span className="block text-ink-3 text-sm">no limit</span>
      </span>
    );
  const share = (n: number) => `${most ? Math.min(100, (n / most) * 100) : n ? 100 : 0}%`;
  const over = plans > most;
  return (
    <span className="whitespace-nowrap" title={`${whole(has)} of ${most}${unit}${more}`}>
      <span className={over ? 'text-brick' : ''}>
        {whole(has)} of {most}
        {unit}
      </span>
      <span
        role="img"
        aria-label={`${label}: ${whole(has)} of ${most}${unit}${more}`}
        className="relative mt-1 block h-1.5 w-20 bg-rule"
      >
        <span className="hatch absolute inset-y-0 left-0 [--hatch:var(--slate)]" style={{ width: share(plans) }} />
        <span className={`absolute inset-y-0 left-0 ${over ? 'bg-brick' : 'bg-slate'}`} style={{ width: share(has) }} />
      </span>
    </span>
  );
}
