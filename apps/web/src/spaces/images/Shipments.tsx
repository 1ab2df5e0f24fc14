import { mendOutside } from '@praesidor/core/checks';
import { bytesText, counted } from '@praesidor/core/words';
import type { Estate } from '@praesidor/core/model';
import { useState } from 'react';
import { Link } from 'react-router';
import { upload } from '../../api/client.ts';
import { type CaseDto, type ShipmentDto, useShipments } from '../../api/queries.ts';
import { Mark, type MarkKind } from '../../parts/Mark.tsx';
import { when, span } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useAct } from '../../state/act.ts';
import { useCall } from '../../state/call.ts';
import { AcceptDialog } from './AcceptDialog.tsx';

const says: Record<ShipmentDto['state'], string> = {
  planned: 'planned',
  queued: 'waits its turn',
  packing: 'is being packed',
  packed: 'packed: carry it there, then land it',
  landing: 'is landing',
  moving: 'is moving',
  waiting: 'waits for its hours',
  short: 'landed in part',
  landed: 'landed and verified',
  failed: 'broke',
  stopped: 'stopped',
};
const marks: Record<ShipmentDto['state'], MarkKind> = {
  planned: 'free',
  queued: 'hatched',
  packing: 'half',
  packed: 'half',
  landing: 'half',
  moving: 'half',
  waiting: 'hatched',
  short: 'failing',
  landed: 'done',
  failed: 'failing',
  stopped: 'free',
};
const underWay = ['packing', 'landing', 'moving', 'waiting', 'queued'];

/** Started, and as many are under way at its registry as may be. */
const waitsForPlace = (s: ShipmentDto) => ['packing', 'landing', 'moving'].includes(s.state) && !s.startedAt;

/** What comes next for a shipment, as the words of the act. */
const nextOf = (s: ShipmentDto): string | undefined =>
  s.state === 'planned'
    ? 'Start'
    : s.state === 'packed'
      ? s.cases.length > 1
        ? 'Land all'
        : 'Land it'
      : s.state === 'short'
        ? s.cases.some((c) => c.state === 'packed')
          ? 'Land the rest'
          : undefined
        : ['failed', 'stopped'].includes(s.state)
          ? 'Go on'
          : undefined;

export function Shipments({ estate }: { estate: Estate }) {
  const shipments = useShipments();
  const [review, setReview] = useState<ShipmentDto>();
  const act = useCall<{ shipment?: ShipmentDto }, { label: string; what: 'start' | 'stop' | 'repair'; cases?: number[] }>(
    ({ label, what, cases }: { label: string; what: 'start' | 'stop' | 'repair'; cases?: number[] }) => ({
      method: 'POST',
      path: `/api/shipments/${label}/${what}`,
      body: cases ? { cases } : undefined,
    }),
    (r) => (r.shipment ? `${r.shipment.label} is planned: ${bytesText(r.shipment.bytes)} make it good.` : undefined),
    [['shipments']],
  );
  const take = useAct(
    (file: File) =>
      upload<{ label: string; number: number; of: number; bad: unknown[] }>('/api/cases', 'application/x-tar', file),
    (c) =>
      `Case ${c.number} of ${c.of} of ${c.label} is here${c.bad.length ? `; ${c.bad.length} of its files are damaged` : ', whole'}.`,
    [['shipments']],
  );
  return (
    <section aria-label="Shipments">
      <div className="flex items-baseline pt-5 pb-1">
        <h2 className="text-lg">Shipments</h2>
        <label className="ml-auto cursor-pointer font-semibold text-verdigris focus-within:outline-2 hover:underline">
          {take.isPending ? 'reading the case…' : 'Take in a case…'}
          <input
            type="file"
            accept=".tar,.tgz,.gz"
            className="sr-only"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = '';
              if (file) take.mutate(file);
            }}
          />
        </label>
      </div>
      {shipments.data?.length === 0 && (
        <p className="text-ink-2">
          Nothing has been moved yet. A shipment carries what a registry lacks, over the link or in cases.
        </p>
      )}
      {shipments.data?.map((s) => (
        <Line key={s.label} s={s} estate={estate} onAct={act.mutate} onReview={() => setReview(s)} />
      ))}
      {review && <AcceptDialog s={review} onClose={() => setReview(undefined)} />}
    </section>
  );
}

/** Leads to what mends the registry that a shipment failed at. */
function Mend({ s, estate }: { s: ShipmentDto; estate: Estate }) {
  const registry = estate.registries.find((r) => r.name === s.faultAt);
  const act = registry && mendOutside(registry, s.fault ?? undefined);
  return act?.act?.kind === 'open' ? (
    <Link className="text-verdigris underline underline-offset-2" to={act.act.path}>
      {act.label}
    </Link>
  ) : null;
}

function Line({
  s,
  estate,
  onAct,
  onReview,
}: {
  s: ShipmentDto;
  estate: Estate;
  onReview: () => void;
  onAct: (a: { label: string; what: 'start' | 'stop' | 'repair'; cases?: number[] }) => void;
}) {
  const active = ['packing', 'landing', 'moving'].includes(s.state);
  const share = s.state === 'landed' || s.state === 'packed' ? 1 : s.bytes ? s.movedBytes / s.bytes : 0;
  const site = estate.sites.find((x) => x.name === estate.registries.find((r) => r.name === s.target)?.site);
  const source = estate.registries.find((r) => r.name === s.source);
  const doubted = s.unverified !== null && s.acceptedBy === null;
  const next = doubted ? undefined : nextOf(s);
  const damaged = s.cases.some((c) => c.state === 'damaged') || (s.state === 'short' && !next && !doubted);
  /** Brought here, and nothing of it landed so far. */
  const arrived = s.state === 'short' && !s.cases.some((c) => c.state === 'landed');
  return (
    <div
      data-row
      tabIndex={-1}
      className="grid grid-cols-[52px_128px_minmax(0,1fr)_148px_minmax(0,200px)_84px] items-center gap-3 border-rule border-b py-1.5"
    >
      <b>{s.label}</b>
      {s.way === 'case' && s.cases.length > 0 ? (
        <Cases s={s} onLand={(n) => onAct({ label: s.label, what: 'start', cases: [n] })} />
      ) : (
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
      )}
      <span className="min-w-0">
        <span className="block truncate">
          {source && source.role !== 'source' ? `${source.name} ` : ''}to {site?.title},{' '}
          {s.way === 'case'
            ? s.cases.length > 1
              ? `in ${s.cases.length} cases`
              : 'in one case'
            : s.way === 'fast-link'
              ? 'faster link'
              : 'over the link'}
          : {s.bills.join(', ')}
        </span>
        {s.unverified && (
          <span className={`block ${doubted ? 'text-brick' : 'text-ink-3'}`}>
            {doubted ? `not verified: ${s.unverified}` : `not verified; accepted by ${s.acceptedBy}`}
          </span>
        )}
        {s.error && (
          <span className={`block ${s.state === 'short' ? 'text-ochre' : 'text-brick'}`}>
            {s.error} {s.state === 'failed' && <Mend s={s} estate={estate} />}
          </span>
        )}
      </span>
      <span>
        {active ? `${bytesText(s.movedBytes)} of ` : ''}
        {bytesText(s.bytes)}
        <span className="text-ink-3"> · {bytesText(s.declaredBytes)} as declared</span>
      </span>
      <span className="flex min-w-0 items-center gap-1.5">
        <Mark kind={s.state === 'short' && !damaged ? 'half' : marks[s.state]} />
        <span>
          {s.state === 'queued'
            ? `follows ${s.after}`
            : arrived
              ? 'arrived, not landed'
              : waitsForPlace(s)
                ? `waits for a place at ${s.state === 'packing' ? s.source : s.target}`
                : says[s.state]}
          {s.state === 'waiting' && s.resumeAt && (
            <>
              {' '}
              from <When at={s.resumeAt} />
            </>
          )}
          {active && s.rate > 0
            ? `, ${bytesText(s.rate)}/s, ${span(((s.bytes - s.movedBytes) / s.rate) * 1000)} left`
            : s.endedAt && !['waiting', 'queued'].includes(s.state)
              ? ` ${when(s.endedAt)}`
              : ''}
          {s.resumed > 0 && (
            <span title="the connection broke and the transfer went on where it stood" className="text-ink-3">
              {' '}
              · resumed {s.resumed} ×
            </span>
          )}
          {s.wrong.length > 0 && (
            <span title={`sent again from the beginning: ${s.wrong.join(', ')}`} className="text-ochre">
              {' '}
              · {counted(s.wrong.length, 'blob')} arrived with wrong bytes
            </span>
          )}
        </span>
      </span>
      <span className="text-right">
        {underWay.includes(s.state) ? (
          <button type="button" className="text-ink-2 hover:underline" onClick={() => onAct({ label: s.label, what: 'stop' })}>
            Stop
          </button>
        ) : (
          next && (
            <button
              type="button"
              className="font-semibold text-verdigris hover:underline"
              onClick={() => onAct({ label: s.label, what: 'start' })}
            >
              {next}
            </button>
          )
        )}
        {doubted && !underWay.includes(s.state) && (
          <button type="button" className="font-semibold text-verdigris hover:underline" onClick={onReview}>
            Review…
          </button>
        )}
        {damaged && !underWay.includes(s.state) && s.state !== 'landed' && (
          <button
            type="button"
            className="block w-full text-right font-semibold text-verdigris hover:underline"
            onClick={() => onAct({ label: s.label, what: 'repair' })}
          >
            Plan a repair
          </button>
        )}
      </span>
    </div>
  );
}

const looks: Record<CaseDto['state'], string> = {
  planned: 'border-rule-2 text-ink-3',
  awaited: 'border-dashed border-rule-2 text-ink-3',
  packed: 'border-rule-2 bg-leaf',
  waiting: 'border-verdigris bg-leaf',
  landing: 'border-verdigris bg-[linear-gradient(90deg,var(--verdigris-tint)_50%,transparent_50%)]',
  landed: 'border-verdigris bg-verdigris-tint',
  damaged: 'border-brick text-brick line-through',
};
const caseSays: Record<CaseDto['state'], string> = {
  planned: 'not packed yet',
  awaited: 'not here yet',
  packed: 'packed; click to land it alone',
  waiting: 'is next',
  landing: 'is landing',
  landed: 'landed',
  damaged: 'damaged',
};

/** One box a case; a packed one can be landed by itself, in any order. Its archive is below it, for carrying. */
function Cases({ s, onLand }: { s: ShipmentDto; onLand: (n: number) => void }) {
  return (
    <span className="flex flex-wrap gap-1">
      {s.cases.map((c) => {
        const can =
          !(s.unverified && !s.acceptedBy) &&
          ['packed', 'damaged'].includes(c.state) &&
          ['packed', 'short', 'landing', 'failed', 'stopped'].includes(s.state);
        const title = `case ${c.number}, ${bytesText(c.bytes)}: ${caseSays[c.state]}${c.bad.map((b) => `\n${b.path}: ${b.why}`).join('')}`;
        const look = `h-[18px] min-w-[26px] border px-1 text-center text-xs leading-4 ${looks[c.state]}`;
        return (
          <span key={c.number} className="flex flex-col items-stretch">
            {can ? (
              <button type="button" className={look} title={title} aria-label={title} onClick={() => onLand(c.number)}>
                {c.number}
              </button>
            ) : (
              <span className={look} title={title}>
                {c.number}
              </span>
            )}
            {['packed', 'short'].includes(s.state) && c.state === 'packed' && (
              <a
                href={`/api/shipments/${s.label}/cases/${c.number}`}
                className="text-center text-verdigris text-xs leading-4 hover:underline"
                title="its archive, to be written to a medium"
              >
                tar
              </a>
            )}
          </span>
        );
      })}
    </span>
  );
}
