import { type MadeState, type MadeThing, madeKinds } from '@praesidor/core/changes';
import { counted } from '@praesidor/core/words';
import { Link } from 'react-router';
import { useMade } from '../../api/queries.ts';
import { scoped, useScope } from '../../state/scope.ts';

const titles: Record<MadeThing['kind'], [one: string, more: string]> = {
  hosts: ['host', 'hosts'],
  guests: ['guest', 'guests'],
  addresses: ['address', 'addresses'],
  precinct: ['precinct', 'precincts'],
  records: ['record at a name server', 'records at name servers'],
  secrets: ['certificate or key', 'certificates and keys'],
  objects: ['object in its API', 'objects in its API'],
  files: ['set of files', 'sets of files'],
  backups: ['set of backups', 'sets of backups'],
  pulls: ['set of pulls', 'sets of pulls'],
};
const states: Record<MadeState, string> = {
  'in-use': 'in use',
  held: 'held',
  kept: 'kept',
  waits: 'waiting',
  'left-over': 'left over',
};

/** Everything that was made for a cluster: what nobody answers for is named first, the rest by what it is. */
export function MadeTable({ name }: { name: string }) {
  const { site } = useScope();
  const made = useMade(name).data;
  if (!made?.length) return null;
  const over = made.filter((t) => t.state === 'left-over');
  const row = (t: MadeThing) => (
    <tr key={`${t.kind} ${t.name}`}>
      <td className="mono whitespace-normal!">
        {t.go ? (
          <Link className="hover:underline" to={scoped(t.go, site)}>
            {t.name}
          </Link>
        ) : (
          t.name
        )}
      </td>
      <td className={`whitespace-nowrap ${t.state === 'left-over' ? 'font-semibold text-brick' : 'text-ink-2'}`}>
        {states[t.state]}
      </td>
      <td className="text-ink-2">{t.about}</td>
    </tr>
  );
  return (
    <section aria-label="Made for this cluster">
      <h2 className="pt-5 pb-1 text-lg">
        Everything made for this cluster{' '}
        <span className={`font-normal font-sans text-[13px] ${over.length ? 'text-brick' : 'text-ink-2'}`}>
          {over.length
            ? `${counted(over.length, 'thing is', 'things are')} left over: nobody answers for it`
            : 'nothing is left over'}
        </span>
      </h2>
      {over.length > 0 && (
        <table className="grid-table" aria-label="Left over">
          <tbody>{over.map(row)}</tbody>
        </table>
      )}
      {madeKinds.map((kind) => {
        const list = made.filter((t) => t.kind === kind && t.state !== 'left-over');
        if (!list.length) return null;
        const by = [...new Set(list.map((t) => t.state))].map((s) => `${list.filter((t) => t.state === s).length} ${states[s]}`);
        return (
          <details key={kind} className="border-rule border-b py-1">
            <summary className="cursor-pointer">
              <b>{counted(list.length, ...titles[kind])}</b> <span className="text-ink-2">{by.join(', ')}</span>
            </summary>
            <table className="grid-table">
              <tbody>{list.map(row)}</tbody>
            </table>
          </details>
        );
      })}
    </section>
  );
}
