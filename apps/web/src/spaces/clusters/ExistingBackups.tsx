import type { VolumeBackup } from '@praesidor/contract';
import { clockText, counted, dayText } from '@praesidor/core/words';

const day = 86_400_000;
const rows = 12;

/** What there is of each volume, over time: a mark for each backup, from the oldest to today. */
export function ExistingBackups({ backups, zone }: { backups: readonly VolumeBackup[]; zone: string }) {
  const at = (b: VolumeBackup) => new Date(b.at).getTime();
  const now = Date.now();
  const from = Math.min(now - day, ...backups.map(at));
  const of = new Map<string, VolumeBackup[]>();
  for (const b of backups) of.set(b.volume, [...(of.get(b.volume) ?? []), b]);
  const place = (ms: number) => `${(((ms - from) / (now - from)) * 100).toFixed(2)}%`;
  const moment = (ms: number) => {
    const iso = new Date(ms).toISOString();
    return `${dayText(iso, zone)}, ${clockText(iso, zone)}`;
  };
  return (
    <table className="grid-table mb-3" aria-label="What there is, over time">
      <thead>
        <tr>
          <th>Volume</th>
          <th className="w-3/5 font-normal">
            <span className="flex justify-between text-sm">
              <span>{moment(from)}</span>
              <span>now</span>
            </span>
          </th>
          <th className="text-right">Newest</th>
        </tr>
      </thead>
      <tbody>
        {[...of].slice(0, rows).map(([volume, list]) => {
          const times = list.map(at);
          const failed = list.filter((b) => b.tried && !b.tried.good).length;
          return (
            <tr key={volume}>
              <td className="font-semibold">{volume}</td>
              <td>
                <span
                  role="img"
                  aria-label={`${counted(list.length, 'backup')}, the oldest ${moment(Math.min(...times))}, the newest ${moment(Math.max(...times))}${failed ? `; ${failed} failed a test` : ''}`}
                  className="relative block h-4 border-rule border-b"
                >
                  {list.map((b) => (
                    <span
                      key={b.id}
                      title={`${moment(at(b))}: ${b.tried ? (b.tried.good ? 'tested, passed' : b.tried.text) : 'never tested'}`}
                      className={`absolute bottom-0 -ml-[3px] h-3 w-[6px] border ${b.tried ? (b.tried.good ? 'border-verdigris bg-verdigris' : 'border-brick bg-brick') : 'border-plum bg-leaf'}`}
                      style={{ left: place(at(b)) }}
                    />
                  ))}
                </span>
              </td>
              <td className="whitespace-nowrap text-right">{moment(Math.max(...times))}</td>
            </tr>
          );
        })}
      </tbody>
      {of.size > rows && (
        <tfoot>
          <tr>
            <td colSpan={3} className="text-ink-2">
              and {counted(of.size - rows, 'volume')} more
            </td>
          </tr>
        </tfoot>
      )}
    </table>
  );
}
