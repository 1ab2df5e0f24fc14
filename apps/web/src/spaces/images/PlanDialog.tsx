import { heldBy, bytesText, joinBills, missing } from '@praesidor/core/images';
import type { Bill, Estate } from '@praesidor/core/model';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import type { ShipmentDto } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useAct } from '../../state/act.ts';

export function PlanDialog({
  estate,
  target: first,
  bills: wanted,
  onClose,
}: {
  estate: Estate;
  target: string;
  bills: string[];
  onClose: () => void;
}) {
  const registries = estate.registries.filter((r) => r.role !== 'source');
  const [target, setTarget] = useState(first);
  const [bills, setBills] = useState(wanted.length ? wanted : defaults(estate, first));
  const registry = registries.find((r) => r.name === target);
  const site = estate.sites.find((s) => s.name === registry?.site);
  const known = bills.map((n) => estate.observed.bills[n]).filter((b): b is Bill => !!b);
  const lack = missing(joinBills('', known), heldBy(estate.observed.registries[target]));
  const plan = useAct(
    async () => {
      const { shipment } = await api<{ shipment: ShipmentDto }>('POST', '/api/shipments', { target, bills });
      await api('POST', `/api/shipments/${shipment.label}/start`);
      return shipment;
    },
    (s) => `${s.label} is under way.`,
    [['shipments']],
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Plan a shipment"
      about="Only what the target lacks is moved; every digest is verified."
      acts={
        <>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            filled
            disabled={plan.isPending || lack.images.length === 0}
            onClick={() => plan.mutate(undefined, { onSuccess: onClose })}
          >
            {site?.reach === 'sealed' ? 'Pack the case' : 'Ship it'}
          </Button>
        </>
      }
    >
      <Field
        label="To"
        hint={
          site && (
            <span className="follows">
              ↳ {site.title} is {site.reach}:{' '}
              {site.reach === 'sealed' ? 'by case, packed here and landed there' : 'over the link, from registry to registry'}
            </span>
          )
        }
      >
        {(id) => (
          <select
            id={id}
            value={target}
            onChange={(e) => {
              setTarget(e.target.value);
              setBills(defaults(estate, e.target.value));
            }}
            className="w-full border border-rule-2 bg-leaf px-2 py-1"
          >
            {registries.map((r) => (
              <option key={r.name} value={r.name}>
                {r.endpoint}
              </option>
            ))}
          </select>
        )}
      </Field>
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
            <b>{lack.blobs} layers</b> of {lack.images.length} images, {bytesText(lack.paper)} on paper, {bytesText(lack.bytes)}{' '}
            to move.
            <ul className="pt-1 text-ink-2">
              {lack.images.slice(0, 6).map((i) => (
                <li key={i} className="mono">
                  {i}
                </li>
              ))}
              {lack.images.length > 6 && <li>and {lack.images.length - 6} more</li>}
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

const defaults = (estate: Estate, target: string) => [
  ...new Set(estate.charters.filter((c) => c.mirror === target).flatMap((c) => [c.release, ...c.addons])),
];
