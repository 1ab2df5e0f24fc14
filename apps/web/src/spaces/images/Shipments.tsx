import { bytesText } from '@praesidor/core/images';
import type { Estate } from '@praesidor/core/model';
import { api } from '../../api/client.ts';
import { type ShipmentDto, useShipments } from '../../api/queries.ts';
import { Mark } from '../../parts/Mark.tsx';
import { clock, day, span } from '../../parts/time.ts';
import { useAct } from '../../state/act.ts';

const says: Record<ShipmentDto['state'], string> = {
  planned: 'planned',
  packing: 'is being packed',
  packed: 'packed: carry it there, then land it',
  landing: 'is landing',
  moving: 'is moving',
  landed: 'landed and verified',
  failed: 'broke',
  stopped: 'stopped',
};
const next: Partial<Record<ShipmentDto['state'], string>> = {
  planned: 'Start',
  packed: 'Land it',
  failed: 'Go on',
  stopped: 'Go on',
};

export function Shipments({ estate }: { estate: Estate }) {
  const shipments = useShipments();
  const act = useAct(
    ({ label, what }: { label: string; what: 'start' | 'stop' }) => api('POST', `/api/shipments/${label}/${what}`),
    '',
    [['shipments']],
  );
  return (
    <section aria-label="Shipments">
      <h2 className="pt-5 pb-1 text-lg">Shipments</h2>
      {shipments.data?.length === 0 && (
        <p className="text-ink-2">
          Nothing has been moved yet. A shipment carries what a registry lacks, over the link or in a case.
        </p>
      )}
      {shipments.data?.map((s) => {
        const active = ['packing', 'landing', 'moving'].includes(s.state);
        const share = s.state === 'landed' || s.state === 'packed' ? 1 : s.bytes ? s.movedBytes / s.bytes : 0;
        const site = estate.sites.find((x) => x.name === estate.registries.find((r) => r.name === s.target)?.site);
        return (
          <div
            key={s.label}
            data-row
            tabIndex={-1}
            className="grid grid-cols-[60px_130px_1fr_150px_210px_110px] items-center gap-3 border-rule border-b py-1.5"
          >
            <b>{s.label}</b>
            <span
              className="h-[14px] border border-rule-2"
              role="progressbar"
              aria-valuenow={Math.round(share * 100)}
              aria-valuemin={0}
              aria-valuemax={100}
              aria-label={`${s.label} progress`}
            >
              <span
                className={`block h-full ${s.state === 'failed' ? 'bg-brick' : s.state === 'landed' ? 'bg-verdigris' : 'bg-verdigris-tint'}`}
                style={{ width: `${share * 100}%` }}
              />
            </span>
            <span className="min-w-0">
              <span className="block truncate">
                to {site?.title}, {s.way === 'case' ? 'on one case' : 'over the link'}: {s.bills.join(', ')}
              </span>
              {s.error && <span className="block text-brick">{s.error}</span>}
            </span>
            <span>
              {active ? `${bytesText(s.movedBytes)} of ` : ''}
              {bytesText(s.bytes)}
              <span className="text-ink-3"> · {bytesText(s.paper)} on paper</span>
            </span>
            <span className="flex items-center gap-1.5">
              <Mark
                kind={s.state === 'landed' ? 'done' : s.state === 'failed' ? 'failing' : s.state === 'planned' ? 'free' : 'half'}
              />
              {says[s.state]}
              {active && s.rate > 0
                ? `, ${bytesText(s.rate)}/s, ${span(((s.bytes - s.movedBytes) / s.rate) * 1000)} left`
                : s.endedAt
                  ? ` ${new Date(s.endedAt).toDateString() === new Date().toDateString() ? clock(s.endedAt) : day(s.endedAt)}`
                  : ''}
              {s.resumed > 0 && (
                <span title="the connection broke and the transfer went on where it stood" className="text-ink-3">
                  {' '}
                  · resumed {s.resumed} ×
                </span>
              )}
            </span>
            <span className="text-right">
              {active ? (
                <button type="button" className="text-ink-2" onClick={() => act.mutate({ label: s.label, what: 'stop' })}>
                  Stop
                </button>
              ) : (
                next[s.state] && (
                  <button
                    type="button"
                    className="font-semibold text-verdigris"
                    onClick={() => act.mutate({ label: s.label, what: 'start' })}
                  >
                    {next[s.state]}
                  </button>
                )
              )}
            </span>
          </div>
        );
      })}
    </section>
  );
}
