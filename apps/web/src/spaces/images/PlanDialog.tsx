import { billsOf } from '@praesidor/core/model';
import { heldBy, joinBills, missing, splitIntoCases, staysWithin, timeToMove, usualOverhead } from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import type { Bill, Estate, Site } from '@praesidor/core/model';
import { useState } from 'react';
import type { ShipmentDto } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { clock, day } from '../../parts/time.ts';
import { useCall } from '../../state/call.ts';
import { readSize } from './sizes.ts';

type Way = ShipmentDto['way'];
const ways: Record<Way, string> = {
  link: 'over the link',
  'fast-link': 'over the faster link, while it is there',
  case: 'by case',
};
const waysTo = (site: Site | undefined, within: boolean): Way[] =>
  within
    ? ['link', 'case']
    : site?.reach === 'sealed'
      ? ['case']
      : ['link', ...(site?.fastLink ? (['fast-link'] as const) : []), 'case'];
const box = 'w-full border border-rule-2 bg-leaf px-2 py-1';

/** What, from where, to where, by which way, and over which registry on the way; what follows from it stands below. */
export function PlanDialog({
  estate,
  target: first,
  bills: wanted,
  from,
  onClose,
}: {
  estate: Estate;
  target: string;
  bills: string[];
  /** The registry that it is to come from. */
  from?: string | undefined;
  onClose: () => void;
}) {
  const registries = estate.registries.filter((r) => r.role !== 'source');
  const siteOf = (name: string) => estate.sites.find((s) => s.name === estate.registries.find((r) => r.name === name)?.site);
  const [target, setTarget] = useState(first);
  const [bills, setBills] = useState(wanted.length ? wanted : defaults(estate, first));
  const [source, setSource] = useState(
    (estate.registries.find((r) => r.name === from) ?? estate.registries.find((r) => r.role === 'source'))?.name ?? '',
  );
  const [over, setOver] = useState('');
  const isWithin = (a: string, b: string) => {
    const [s, t] = [a, b].map((n) => estate.registries.find((r) => r.name === n));
    return !!s && !!t && staysWithin(s, t);
  };
  const within = isWithin(source, target);
  const [way, setWay] = useState<Way>(waysTo(siteOf(first), isWithin(source, first))[0] as Way);
  const [size, setSize] = useState('60 GB');
  const site = siteOf(target);
  const known = bills.map((n) => estate.observed.bills[n]).filter((b): b is Bill => !!b);
  const bill = joinBills('', known);
  const lack = missing(
    bill,
    heldBy(
      estate.observed.registries[target],
      estate.registries.find((r) => r.name === target),
    ),
  );
  const caseBytes = readSize(size);
  const how = { way, ...(way === 'case' ? { caseBytes } : {}) };
  const plan = useCall<{ shipment: ShipmentDto } | { shipments: ShipmentDto[] }>(
    () => ({
      method: 'POST',
      path: over ? '/api/shipments/chain' : '/api/shipments',
      body: {
        ...(over ? { stops: [{ target: over }, { target, ...how }] } : { target, ...how }),
        bills,
        source,
        start: true,
      },
    }),
    (made) => `${('shipments' in made ? made.shipments : [made.shipment]).map((s) => s.label).join(', then ')} is under way.`,
    [['shipments']],
  );
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title="Plan a shipment"
      same={() => plan.call()}
      about="Only what the target lacks is moved; every digest is verified."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={plan.isPending || lack.images.length === 0 || (way === 'case' && !caseBytes)}
            onClick={() => plan.mutate(undefined, { onSuccess: onClose })}
          >
            {way === 'case' && !over ? 'Pack the cases' : 'Ship it'}
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-2 gap-x-6">
        <Field label="To">
          {(id) => (
            <select
              id={id}
              value={target}
              onChange={(e) => {
                setTarget(e.target.value);
                setBills(defaults(estate, e.target.value));
                setWay(waysTo(siteOf(e.target.value), isWithin(source, e.target.value))[0] as Way);
                setOver('');
              }}
              className={box}
            >
              {registries.map((r) => (
                <option key={r.name} value={r.name}>
                  {r.endpoint}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="From">
          {(id) => (
            <select
              id={id}
              value={source}
              onChange={(e) => {
                setSource(e.target.value);
                setWay(waysTo(site, isWithin(e.target.value, target))[0] as Way);
              }}
              className={box}
            >
              {estate.registries
                .filter((r) => r.name !== target)
                .map((r) => (
                  <option key={r.name} value={r.name}>
                    {r.endpoint}
                  </option>
                ))}
            </select>
          )}
        </Field>
        <Field
          label="By"
          hint={
            site && (
              <span className="follows">
                ↳ {within ? `both stand at ${site.title}` : `${site.title} is ${site.reach}`}
                {!within && way !== 'case' && rateText(way === 'fast-link' ? site.fastLink : site.link)}
              </span>
            )
          }
        >
          {(id) => (
            <select id={id} value={way} onChange={(e) => setWay(e.target.value as Way)} className={box}>
              {waysTo(site, within).map((w) => (
                <option key={w} value={w}>
                  {within && w === 'link' ? 'over the network of the site' : ways[w]}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Stopping at" hint="it lands there first, and goes on from there by itself">
          {(id) => (
            <select id={id} value={over} onChange={(e) => setOver(e.target.value)} className={box}>
              <option value="">nowhere on the way</option>
              {registries
                .filter((r) => r.name !== target && r.name !== source)
                .map((r) => (
                  <option key={r.name} value={r.name}>
                    {r.endpoint}
                  </option>
                ))}
            </select>
          )}
        </Field>
        {way === 'case' && (
          <Field label="One case holds" wrong={caseBytes ? undefined : 'write it like 60 GB or 700 MB'}>
            {(id) => <Input id={id} value={size} onChange={(e) => setSize(e.target.value)} />}
          </Field>
        )}
      </div>
      <fieldset className="mb-2.5 grid grid-cols-[130px_1fr] gap-3">
        <legend className="float-left text-ink-2">What</legend>
        <div className="col-start-2">
          {[...estate.releases, ...estate.addons].map((d) => (
            <label key={d.name} className="mr-4 inline-flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={bills.includes(d.name)}
                onChange={(e) => setBills(e.target.checked ? [...bills, d.name] : bills.filter((b) => b !== d.name))}
              />
              {d.name}
            </label>
          ))}
        </div>
      </fieldset>
      <div className="border-rule border-t pt-2.5 text-md">
        {lack.images.length ? (
          <>
            <b>{lack.blobs} layers</b> of {counted(lack.images.length, 'image')}, {bytesText(lack.declaredBytes)}.
            <Follows way={way} site={within ? undefined : site} bill={bill} lack={lack} caseBytes={caseBytes} now={estate.now} />
            <ul className="pt-1 text-ink-2">
              {lack.images.slice(0, 4).map((i) => (
                <li key={i} className="mono">
                  {i}
                </li>
              ))}
              {lack.images.length > 4 && <li>and {lack.images.length - 4} more</li>}
            </ul>
          </>
        ) : (
          'The target lacks nothing of this.'
        )}
      </div>
      <Refused error={plan.error} />
    </Dialog>
  );
}

const rateText = (way: { rateMbit: number; hours?: string | undefined } | undefined) =>
  way ? `, ${way.rateMbit} Mbit/s${way.hours ? `, ${way.hours.replace('-', ' to ')}` : ''}` : '';

/** How long it takes, or how many cases it is: computed, with sizes as declared and as they move. */
function Follows({
  way,
  site,
  bill,
  lack,
  caseBytes,
  now,
}: {
  way: Way;
  site: Site | undefined;
  bill: Bill;
  lack: ReturnType<typeof missing>;
  caseBytes: number | undefined;
  now: string;
}) {
  if (way === 'case') {
    if (!caseBytes) return null;
    const on = (key: 'bytes' | 'declaredBytes') => {
      try {
        return splitIntoCases(
          lack.digests.map((digest) => ({ digest, bytes: bill.blobs[digest]?.[key] ?? 0 })),
          caseBytes,
          usualOverhead(bill, new Set(lack.images), lack.blobs),
        );
      } catch {
        return undefined;
      }
    };
    const [moves, declaredBytes] = [on('bytes'), on('declaredBytes')];
    if (!moves) return <p className="text-brick">A case of {bytesText(caseBytes)} holds nothing beside its own description.</p>;
    const text = (n: number) => `${counted(n, 'case')}`;
    return (
      <p className="follows">
        ↳ {text(Math.max(1, moves.cases.length))} of {bytesText(caseBytes)}
        {declaredBytes && declaredBytes.cases.length !== moves.cases.length
          ? `; with sizes as declared ${text(declaredBytes.cases.length)}, and no fewer than ${declaredBytes.bound}`
          : ''}
      </p>
    );
  }
  const used = way === 'fast-link' ? site?.fastLink : site?.link;
  if (!used || !site) return null;
  const t = timeToMove(lack.declaredBytes, used, site.timezone, now);
  return (
    <p className="follows">
      ↳{' '}
      {t.end
        ? `arrives ${day(t.end)} at about ${clock(t.end, site.timezone)}, ${t.minutes < 90 ? `${t.minutes} min` : `${Math.floor(t.minutes / 60)} h ${t.minutes % 60} min`} of moving${used.hours ? ` in ${counted(t.openings.length, 'night')}` : ''}`
        : 'at that rate, and in those hours, it takes more than ten years'}
    </p>
  );
}

const defaults = (estate: Estate, target: string) => [
  ...new Set(estate.charters.filter((c) => c.mirror === target).flatMap((c) => billsOf(c))),
];
