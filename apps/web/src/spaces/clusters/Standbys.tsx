import type { StandbyRow, VolumesView } from '@praesidor/core/backup';
import { gigabytesText, secondsText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import type { Backups } from '@praesidor/contract';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { Link } from 'react-router';
import { When } from '../../parts/When.tsx';
import { scoped } from '../../state/scope.ts';
import { useMay } from '../../state/may.ts';
import { runState } from '../../state/run-state.ts';
import { type Turning, TurnDialog } from './TurnDialog.tsx';

const spell = (ms: number) => (ms < 1000 ? 'less than 1 s' : secondsText(ms / 1000));

/** Standby copies that a cluster keeps of others, and that others keep of it: how far behind each is, and what can be done. */
export function Standbys({ name, site, view, stands }: { name: string; site: string; view: VolumesView; stands: boolean }) {
  const leave = useMay();
  const last = useQuery({
    queryKey: ['backups', name],
    queryFn: () => api<Backups>('GET', `/api/charters/${name}/backups`),
  }).data?.last;
  const [turning, setTurning] = useState<{ row: StandbyRow; what: Turning }>();
  const { standbys, keptAt } = view;
  if (!standbys.length && !keptAt.length) return null;
  // Its activation was broken off: it has ended there, and does not run here.
  const broken = (row: StandbyRow) =>
    last?.what === 'activate' && last.standby === row.standby.workload && row.state === 'follows' && runState(last).broken;
  const begin = (row: StandbyRow, what: Turning, label: string) => (
    <button
      type="button"
      className="ml-3 text-verdigris hover:underline disabled:text-ink-2 disabled:no-underline"
      disabled={!leave.may('backups.restore')}
      title={leave.why('backups.restore')}
      onClick={() => setTurning({ row, what })}
    >
      {label}
    </button>
  );
  return (
    <section aria-label="Standby copies" className="pt-6">
      <h2 className="pb-1 text-lg">
        Standby copies{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          kept from backups, to be activated when the other cluster is lost
        </span>
      </h2>
      <table className="grid-table" aria-label="Standby copies">
        <thead>
          <tr>
            <th>Workload</th>
            <th>Copy of</th>
            <th className="text-right">Size</th>
            <th>Holds what was there</th>
            <th>Behind</th>
            <th>State</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {[...standbys, ...keptAt].map((row) => (
            <tr key={`${row.charter} ${row.standby.workload}`}>
              <td className="whitespace-nowrap">
                <span className="font-semibold">{row.standby.workload}</span>
                <span className="block text-ink-2 text-sm">
                  at <Cluster name={row.charter} own={name} site={site} />
                </span>
              </td>
              <td className="whitespace-nowrap">
                {row.standby.of}
                <span className="block text-ink-2 text-sm">
                  of <Cluster name={row.standby.cluster} own={name} site={site} />
                </span>
              </td>
              <td className="whitespace-nowrap text-right" title={row.volumes.join(', ')}>
                {row.volumes.length ? gigabytesText(row.sizeGB) : <span className="text-brick">no volumes</span>}
              </td>
              <td className="whitespace-nowrap">
                {row.holds ? <When at={row.holds} /> : <span className="text-ochre">nothing yet</span>}
              </td>
              <td className="whitespace-normal!">
                <Behind row={row} />
              </td>
              <td className="whitespace-normal!">
                <State row={row} />
              </td>
              <td className="whitespace-nowrap">
                {row.charter === name && stands && (
                  <>
                    {broken(row) && begin(row, 'start-again', `Start at ${row.standby.cluster} again…`)}
                    {row.state === 'active'
                      ? begin(row, 'give-back', 'Give back…')
                      : (row.holds || row.newest) && begin(row, 'activate', 'Activate…')}
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {turning && <TurnDialog {...turning} onClose={() => setTurning(undefined)} />}
    </section>
  );
}

const Cluster = ({ name, own, site }: { name: string; own: string; site: string }) =>
  name === own ? (
    <span>{name}</span>
  ) : (
    <Link className="text-verdigris hover:underline" to={scoped(`/clusters/${name}?tab=volumes`, site)}>
      {name}
    </Link>
  );

function Behind({ row }: { row: StandbyRow }) {
  const may = row.mayLag === undefined ? '' : `may be ${spell(row.mayLag)}`;
  if (row.state === 'active') return <span className="text-ink-2">—</span>;
  if (row.lag === undefined) return <span className="text-ink-2">{row.newest ? 'it is read' : 'no backup yet'}</span>;
  const late = row.mayLag !== undefined && row.lag > row.mayLag;
  return (
    <>
      <span className={`whitespace-nowrap ${late ? 'text-brick' : ''}`}>{spell(Math.max(0, row.lag))}</span>
      <span className="block whitespace-nowrap text-ink-2 text-sm">{may}</span>
    </>
  );
}

function State({ row }: { row: StandbyRow }) {
  if (row.state === 'active')
    return (
      <>
        <span className="font-semibold text-plum">active</span>
        {row.since && (
          <span className="text-ink-2">
            {' '}
            since <When at={row.since} />, by {row.by}
          </span>
        )}
        {!row.ended && <span className="block text-brick">not yet ended at {row.standby.cluster}</span>}
      </>
    );
  return row.fault ? (
    <span className="text-brick">{row.fault}</span>
  ) : (
    <span>
      follows
      {row.newest && row.holds && row.newest > row.holds && <span className="text-ochre">, a newer backup waits</span>}
    </span>
  );
}
