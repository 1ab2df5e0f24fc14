import type { Estate, Network, Reservation } from '@praesidor/core/model';
import { useState } from 'react';
import { Link } from 'react-router';
import { useHistory } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { date } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { scoped, useScope } from '../../state/scope.ts';

/** One address: what it is for, what can be done with it, and who had it before. */
export function ReservationPanel({
  reservation: r,
  estate,
  onGone,
}: {
  reservation: Reservation;
  estate: Estate;
  onGone: () => void;
}) {
  const { site } = useScope();
  const [doing, setDoing] = useState<'move' | 'release'>();
  return (
    <section aria-label={`Address ${r.address}`} className="mt-3 border-rule-2 border-t pt-2.5">
      <div className="flex items-baseline gap-3">
        <h3 className="mono text-lg!">{r.address}</h3>
        <span className="text-ink-2">
          {r.name ?? 'no name'}
          {r.note ? ` · ${r.note}` : ''}
          {r.until ? ` · ${r.resting ? 'rests' : 'reserved'} until ${date(r.until)}` : ''}
        </span>
        <span className="ml-auto flex gap-2.5">
          <Link
            className="self-center text-verdigris hover:underline"
            to={scoped(`/addresses/trace?to=${r.network}/${r.address}`, site)}
          >
            Trace
          </Link>
          <Button onClick={() => setDoing('move')}>Move…</Button>
          <Button onClick={() => setDoing('release')}>Release…</Button>
        </span>
      </div>
      <Past address={r.address} />
      {doing === 'move' && <MoveDialog r={r} estate={estate} onClose={() => setDoing(undefined)} onDone={onGone} />}
      {doing === 'release' && <ReleaseDialog r={r} onClose={() => setDoing(undefined)} onDone={onGone} />}
    </section>
  );
}

/** An address that nobody has: whether anybody had it. */
export function FreePanel({ address }: { address: string }) {
  const history = useHistory(address);
  if (!history.data?.length) return null;
  return (
    <section aria-label={`Address ${address}`} className="mt-3 border-rule-2 border-t pt-2.5">
      <h3 className="mono text-lg!">
        {address} <span className="font-sans font-normal text-base text-ink-2">is free now</span>
      </h3>
      <Past address={address} />
    </section>
  );
}

function Past({ address }: { address: string }) {
  const history = useHistory(address);
  return (
    <table className="grid-table mt-1.5" aria-label={`Past owners of ${address}`}>
      <thead>
        <tr>
          <th>From</th>
          <th>Until</th>
          <th>Name</th>
          <th>Owner</th>
          <th>MAC</th>
          <th>Written by</th>
        </tr>
      </thead>
      <tbody>
        {history.data?.slice(0, 12).map((h) => (
          <tr key={`${h.since}${h.until}${h.doc.owner.name}`}>
            <td>
              <When at={h.since} as="both" />
            </td>
            <td>{h.until ? <When at={h.until} as="both" /> : 'now'}</td>
            <td className="max-w-[200px] truncate">
              {h.doc.resting ? <span className="text-ink-3">resting</span> : (h.doc.name ?? '—')}
            </td>
            <td>{h.doc.owner.name}</td>
            <td className="mono">{h.doc.mac ?? '—'}</td>
            <td className="text-ink-2">{h.by}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const rests = [
  [0, 'at once'],
  [1, 'after a day'],
  [7, 'after a week'],
  [30, 'after 30 days'],
] as const;

function Rest({ days, onDays }: { days: number; onDays: (n: number) => void }) {
  return (
    <fieldset className="flex gap-2">
      <legend className="sr-only">Free for others</legend>
      {rests.map(([n, text]) => (
        <button
          type="button"
          key={n}
          aria-pressed={days === n}
          onClick={() => onDays(n)}
          className={`border px-2 py-1 ${days === n ? 'border-ink bg-ink text-paper' : 'border-rule-2 bg-leaf'}`}
        >
          {text}
        </button>
      ))}
    </fieldset>
  );
}

function ReleaseDialog({ r, onClose, onDone }: { r: Reservation; onClose: () => void; onDone: () => void }) {
  const [days, setDays] = useState(r.resting ? 0 : 7);
  const act = useCall<{ act: number; resting: boolean }>(
    () => ({
      method: 'POST',
      path: '/api/addresses/release',
      body: {
        network: r.network,
        address: r.address,
        restDays: days,
      },
    }),
    (a) => (a.resting ? `${r.address} rests for ${days === 1 ? 'a day' : `${days} days`}.` : `${r.address} released.`),
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Release ${r.address}`}
      about={r.name ? `${r.name} goes from the plan; its records go with the next update.` : 'It has no name, so no records go.'}
      acts={
        <>
          <Button onClick={onClose}>Keep it</Button>
          <Button
            filled
            disabled={act.isPending}
            onClick={() =>
              act.mutate(undefined, {
                onSuccess: () => {
                  if (days === 0) onDone();
                  onClose();
                },
              })
            }
          >
            Release {r.address}
          </Button>
        </>
      }
      same={act.call}
    >
      <Field
        label="Free for others"
        hint="Until then it is only given when requested by address: caches expire, and a forgotten machine can still be found."
      >
        {() => <Rest days={days} onDays={setDays} />}
      </Field>
      <Refused error={act.error} />
    </Dialog>
  );
}

function MoveDialog({ r, estate, onClose, onDone }: { r: Reservation; estate: Estate; onClose: () => void; onDone: () => void }) {
  const site = estate.networks.find((n) => n.name === r.network)?.site;
  const [network, setNetwork] = useState(r.network);
  const [address, setAddress] = useState('');
  const [days, setDays] = useState(7);
  const act = useCall<{ reservation: Reservation; act: number }>(
    () => ({
      method: 'POST',
      path: '/api/addresses/move',
      body: {
        network: r.network,
        address: r.address,
        to: { network, ...(address ? { address } : {}) },
        restDays: days,
      },
    }),
    (a) => `${r.address} is now ${a.reservation.address}.`,
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Move ${r.address}`}
      about={`${r.name ?? r.owner.name}: name, MAC and owner go along.`}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={act.isPending || (network === r.network && !address)}
            onClick={() =>
              act.mutate(undefined, {
                onSuccess: () => {
                  onDone();
                  onClose();
                },
              })
            }
          >
            Move it
          </Button>
        </>
      }
      same={act.call}
    >
      <Field label="Network">
        {(id) => (
          <select
            id={id}
            value={network}
            onChange={(e) => setNetwork(e.target.value)}
            className="border border-rule-2 bg-leaf px-2 py-1"
          >
            {estate.networks
              .filter((n: Network) => n.site === site)
              .map((n) => (
                <option key={n.name} value={n.name}>
                  {n.name}, {n.prefix}
                </option>
              ))}
          </select>
        )}
      </Field>
      <Field
        label="Address"
        hint={network === r.network ? 'another one of this network' : <span className="follows">↳ the lowest that is free</span>}
      >
        {(id) => (
          <Input
            id={id}
            className="mono"
            value={address}
            placeholder={network === r.network ? '' : 'next free'}
            onChange={(e) => setAddress(e.target.value.trim())}
          />
        )}
      </Field>
      <Field label="The old one">{() => <Rest days={days} onDays={setDays} />}</Field>
      <Refused error={act.error} />
    </Dialog>
  );
}
