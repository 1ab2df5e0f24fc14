import type { PlanRow, VolumeRow, VolumesView } from '@praesidor/core/backup';
import { clockText, counted, dayText, gigabytesText, secondsText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { useBuilds, useSnapshot } from '../../api/queries.ts';
import { Empty } from '../../parts/Empty.tsx';
import { scoped } from '../../state/scope.ts';
import { MadeBackups } from './MadeBackups.tsx';
import { SeenVolumes } from './SeenVolumes.tsx';
import { Standbys } from './Standbys.tsx';
import { computerWith } from '../../workers/compute.ts';

const spell = (ms: number | undefined) => (ms === undefined ? 'not known' : ms < 1000 ? 'less than 1 s' : secondsText(ms / 1000));
const day = 86_400_000;

/** Volumes of a cluster as planned: the room for them, where each copy lies, and what its backups come to. */
export default function VolumesTab({ name, site }: { name: string; site: string }) {
  const snapshot = useSnapshot().data;
  const view = useQuery({
    queryKey: ['volumes', snapshot?.state, name],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? ((await (await computerWith(snapshot)).volumes(name)) ?? null) : null),
  }).data;
  const builds = useBuilds().data;
  if (!view) return null;
  const built = builds?.some((b) => b.charter === name && b.state === 'done') ?? false;
  const sheet = scoped(`/clusters/${name}?field=workloads`, site);
  if (!view.volumes.length)
    return (
      <Empty title="No volume is planned">
        Volumes belong to workloads: <Link to={sheet}>declare them</Link> on the sheet, each with its size and its storage class.
      </Empty>
    );
  return (
    <>
      <Facts view={view} />
      <Volumes view={view} />
      {(view.plans.length > 0 || view.volumes.some((v) => !v.from)) && (
        <Plans view={view} name={name} site={site} now={snapshot ? Date.parse(snapshot.estate.now) : 0} />
      )}
      {built && <SeenVolumes name={name} site={site} />}
      <Standbys name={name} site={site} view={view} stands={built} />
      <MadeBackups name={name} stands={built} zone={view.zone} />
    </>
  );
}

const Fact = ({ title, children }: { title: string; children: ReactNode }) => (
  <div className="border-rule-2 border-t pt-1.5">
    <dt className="text-ink-2 text-sm">{title}</dt>
    <dd className="follows">{children}</dd>
  </div>
);

function Facts({ view }: { view: VolumesView }) {
  const { room, atRisk, recovery, bare } = view;
  return (
    <dl className="grid grid-cols-4 gap-x-5 pt-4">
      <Fact title="Room">
        {room
          ? `${gigabytesText(room.raw)} raw, ${gigabytesText(room.withCopies)} with ${counted(room.copies, 'copy', 'copies')}, ${gigabytesText(room.afterLoss)} without the largest host, ${gigabytesText(room.afterReserve)} with a fifth kept free`
          : 'no class keeps copies'}
      </Fact>
      <Fact title="Asked for">
        {gigabytesText(view.askedGB)}, {gigabytesText(view.keptGB)} with copies
      </Fact>
      <Fact title="Lost at the worst, with all copies">
        {bare > 0 && (
          <span className="block text-brick">
            all of {bare === 1 ? view.volumes.find((v) => !v.store)?.name : counted(bare, 'volume')}
          </span>
        )}
        {atRisk ? `${spell(atRisk.loses)} of ${atRisk.name}` : bare === 0 && 'nothing that is not kept elsewhere'}
      </Fact>
      <Fact title="Read back after everything is lost">
        {recovery
          ? `${spell(recovery.ms)}: ${gigabytesText(recovery.gb)} over ${recovery.by}`
          : bare === view.volumes.length
            ? 'nothing is backed up'
            : 'not known: no rate is declared'}
      </Fact>
    </dl>
  );
}

/** A host a column shows at a glance where copies lie; more of them are named. */
const most = 8;

function Volumes({ view }: { view: VolumesView }) {
  const { hosts, volumes } = view;
  const drawn = hosts.length <= most;
  return (
    <table className="grid-table mt-5" aria-label="Volumes">
      <thead>
        <tr>
          <th>Volume</th>
          <th>Used by</th>
          <th className="text-right">Size</th>
          <th>Class</th>
          {drawn &&
            hosts.map((h) => (
              <th
                key={h.name}
                className="mono text-center font-normal text-sm"
                title={`${gigabytesText(h.heldGB)} of ${gigabytesText(h.sizeGB)} are planned`}
              >
                {h.name}
              </th>
            ))}
          <th>Copies</th>
          <th>Backups</th>
          <th>Can lose</th>
          <th>Read back in</th>
        </tr>
      </thead>
      <tbody>
        {volumes.map((v) => (
          <tr key={v.name}>
            <td className="font-semibold">{v.name}</td>
            <td className="text-ink-2">{counted(v.pods, 'pod')}</td>
            <td className="text-right">{gigabytesText(v.sizeGB)}</td>
            <td className="text-ink-2">{v.class}</td>
            {drawn &&
              hosts.map((h) => (
                <td key={h.name} className="text-center">
                  {v.copies.includes(h.name) && (
                    <span
                      role="img"
                      aria-label={`a copy on ${h.name}`}
                      className="inline-block size-3 bg-verdigris align-middle"
                    />
                  )}
                </td>
              ))}
            <td>
              <Copies volume={v} named={!drawn} />
            </td>
            <td>
              {v.from ? (
                <span className="text-ink-2">standby copy of {v.from}</span>
              ) : v.store ? (
                <>
                  {v.plan?.name}
                  <span className="text-ink-2">, {counted(v.count, 'kept', 'kept')}</span>
                </>
              ) : v.plan ? (
                <span className="text-brick">no store {v.plan.store}</span>
              ) : (
                <span className="text-ochre">none</span>
              )}
            </td>
            <td className={v.store || v.from ? '' : 'text-brick'}>{v.from ? '—' : v.store ? spell(v.loses) : 'all of it'}</td>
            <td>{v.store && !v.from ? spell(v.back) : '—'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Copies({ volume: v, named }: { volume: VolumeRow; named: boolean }) {
  if (v.kind === 'nfs') return <span className="text-ink-2">at the NFS server</span>;
  const there = v.copies.filter((c) => c !== undefined);
  const lacks = v.copies.length - there.length;
  if (v.kind === 'local')
    return lacks ? (
      <span className="text-brick">no host</span>
    ) : (
      <span className="text-ink-2">{named ? `on ${there[0]} alone` : 'this host alone'}</span>
    );
  return (
    <span className={lacks ? 'text-brick' : ''}>
      {lacks ? `${there.length} of ${v.copies.length}` : v.copies.length}
      <span className="text-ink-2">, apart by {v.apart}</span>
      {named && <span className="mono text-ink-2 text-sm"> {there.join(' ')}</span>}
    </span>
  );
}

/** What is backed up when in the coming days: a line for each plan. */
function Plans({ view, name, site, now }: { view: VolumesView; name: string; site: string; now: number }) {
  const days = Array.from({ length: view.days + 1 }, (_, n) => now + n * day);
  return (
    <section aria-label="Backups" className="pt-6">
      <h2 className="pb-1 text-lg">
        Backups{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          planned for the next {counted(view.days, 'day')}, {view.zone}
        </span>
      </h2>
      {!view.plans.length ? (
        <Empty title="Nothing is backed up">
          Copies in the cluster follow every mistake at once.{' '}
          <Link to={scoped(`/clusters/${name}?field=backups`, site)}>Add a plan</Link> on the sheet: which volumes, when, to which
          store, and how many are kept.
        </Empty>
      ) : (
        <table className="grid-table" aria-label="Plans for backups">
          <thead>
            <tr>
              <th>Plan</th>
              <th>Store</th>
              <th>Volumes</th>
              <th className="w-2/5 font-normal">
                <span className="flex justify-between text-sm">
                  {days.slice(0, -1).map((d) => (
                    <span key={d}>{dayText(new Date(d).toISOString(), view.zone).split(' ').slice(0, 2).join(' ')}</span>
                  ))}
                  <span />
                </span>
              </th>
              <th>Next</th>
              <th>Next test</th>
            </tr>
          </thead>
          <tbody>
            {view.plans.map((p) => (
              <PlanLine key={p.plan.name} row={p} from={now} days={view.days} zone={view.zone} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function PlanLine({ row, from, days, zone }: { row: PlanRow; from: number; days: number; zone: string }) {
  const { plan, store, volumes, next, trial } = row;
  const at = (ms: number) => `${Math.min(100, Math.max(0, ((ms - from) / (days * day)) * 100)).toFixed(2)}%`;
  const moment = (ms: number) =>
    `${dayText(new Date(ms).toISOString(), zone).split(' ').slice(0, 2).join(' ')}, ${clockText(new Date(ms).toISOString(), zone)}`;
  const [first] = next;
  const keep = [plan.keep.last && `newest ${plan.keep.last}`, plan.keep.days && `${plan.keep.days} days`]
    .filter(Boolean)
    .join(', ');
  return (
    <tr>
      <td>
        <span className="font-semibold">{plan.name}</span>
        <span className="mono block text-ink-2 text-sm" title="minute, hour, day of the month, month, day of the week">
          {plan.at}
        </span>
      </td>
      <td>
        {store ? store.name : <span className="text-brick">{plan.store}</span>}
        <span className="block text-ink-2 text-sm">keeps {keep}</span>
      </td>
      <td title={volumes.join(', ')}>{volumes.length}</td>
      <td>
        <span
          role="img"
          aria-label={`${counted(next.length, 'run')} in ${counted(days, 'day')}${first ? `, the next ${moment(first.at)}` : ''}`}
          className="relative block h-4 border-rule border-b"
        >
          {next.map((n) => (
            <span
              key={n.at}
              title={`${moment(n.at)}${n.takes === undefined ? '' : `, takes ${spell(n.takes)}`}`}
              className="absolute bottom-0 h-3 min-w-[3px] border border-plum bg-plum/30"
              style={{ left: at(n.at), width: n.takes === undefined ? '3px' : `calc(${at(n.at + n.takes)} - ${at(n.at)})` }}
            />
          ))}
        </span>
      </td>
      <td className="whitespace-nowrap">
        {first ? moment(first.at) : <span className="text-brick">never</span>}
        {first?.takes !== undefined && <span className="block text-ink-2 text-sm">takes {spell(first.takes)}</span>}
      </td>
      <td className="whitespace-nowrap">{trial === undefined ? <span className="text-ochre">none</span> : moment(trial)}</td>
    </tr>
  );
}
