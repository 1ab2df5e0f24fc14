import { counted } from '@praesidor/core/words';
import { castPlan } from '@praesidor/core/hosts';
import type { Estate } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

const select = 'w-full border border-rule-2 bg-leaf px-2 py-1';

/** Guests from a mould: where each would stand, what is left, and what is left when any one hypervisor fails; computed while it is typed. */
export function CastDialog({ estate, site, onClose }: { estate: Estate; site: string; onClose: () => void }) {
  const [mould, setMould] = useState(estate.moulds[0]?.name ?? '');
  const [count, setCount] = useState('3');
  const [stem, setStem] = useState(`${site}-n`);
  const [group, setGroup] = useState('');
  const [dense, setDense] = useState(false);
  const [safe, setSafe] = useState(true);
  const [start, setStart] = useState(true);
  const n = Math.min(500, Math.max(0, Number.parseInt(count, 10) || 0));
  const wish = useMemo(
    () => ({
      site,
      mould,
      count: n,
      stem,
      ...(group ? { group } : {}),
      rules: { strategy: dense ? ('dense' as const) : ('spread' as const), tolerate: safe ? (1 as const) : (0 as const) },
    }),
    [site, mould, n, stem, group, dense, safe],
  );
  const plan = useMemo(() => {
    try {
      return n && stem ? castPlan(wish, estate) : undefined;
    } catch {
      return undefined;
    }
  }, [wish, estate, n, stem]);
  const cast = useCall<{ names: string[]; act: number }>(
    () => ({ method: 'POST', path: '/api/hosts/cast', body: { ...wish, start } }),
    (r) => `${r.names.length} guests are being cast.`,
    [['estate'], ['works']],
  );
  const bad = plan?.packing.unplaced ?? [];
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title="Cast guests"
      about="Guests are ordinary hosts: their facts come from the mould, and charters can use them."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!plan || bad.length > 0 || cast.isPending}
            onClick={() => cast.mutate(undefined, { onSuccess: onClose })}
          >
            Cast {counted(n, 'guest')}
          </Button>
        </>
      }
      same={cast.call}
    >
      <div className="grid grid-cols-[1fr_1.15fr] gap-6">
        <div>
          <Field label="Mould">
            {(id) => (
              <select id={id} value={mould} onChange={(e) => setMould(e.target.value)} className={select}>
                {estate.moulds.map((m) => (
                  <option key={m.name} value={m.name}>
                    {m.name}: {m.vcpu} vCPU, {m.memoryGiB} GiB
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label="How many">{(id) => <Input id={id} value={count} onChange={(e) => setCount(e.target.value)} />}</Field>
          <Field
            label="Names begin with"
            hint={
              plan ? `${plan.hosts[0]?.name ?? ''}${plan.hosts.length > 1 ? ` to ${plan.hosts.at(-1)?.name}` : ''}` : undefined
            }
          >
            {(id) => <Input id={id} value={stem} onChange={(e) => setStem(e.target.value.toLowerCase())} className="mono" />}
          </Field>
          <Field label="Separation group" hint="guests of one group are placed on different hypervisors, spread over the zones">
            {(id) => (
              <Input
                id={id}
                value={group}
                onChange={(e) => setGroup(e.target.value.toLowerCase())}
                className="mono"
                placeholder="no group"
              />
            )}
          </Field>
          <label className="flex items-center gap-2 py-0.5">
            <input type="checkbox" checked={safe} onChange={(e) => setSafe(e.target.checked)} /> keep room so that any one
            hypervisor may fail
          </label>
          <label className="flex items-center gap-2 py-0.5">
            <input type="checkbox" checked={dense} onChange={(e) => setDense(e.target.checked)} /> as few hypervisors as possible
          </label>
          <label className="flex items-center gap-2 py-0.5">
            <input type="checkbox" checked={start} onChange={(e) => setStart(e.target.checked)} /> start them at once
          </label>
        </div>
        <div>
          {plan && (
            <>
              <table className="grid-table" aria-label="Placement of the new guests">
                <thead>
                  <tr>
                    <th>Hypervisor</th>
                    <th>New</th>
                    <th>Left then</th>
                    <th>When it fails</th>
                  </tr>
                </thead>
                <tbody>
                  {plan.packing.left.map((l) => {
                    const mine = plan.hosts.filter((h) => h.guest?.hypervisor === l.hypervisor);
                    const loss = plan.packing.losses.find((x) => x.hypervisor === l.hypervisor);
                    return (
                      <tr key={l.hypervisor}>
                        <td className="font-semibold">{l.hypervisor}</td>
                        <td className="follows whitespace-normal">
                          {mine.length > 3 ? `${counted(mine.length, 'guest')}` : mine.map((h) => h.name).join(', ') || '—'}
                        </td>
                        <td className="follows">
                          {l.memoryGiB} GiB, {l.vcpu} vCPU
                        </td>
                        <td className={loss?.stranded.length ? 'text-brick' : 'follows'}>
                          {!loss ? '—' : loss.stranded.length ? `${loss.stranded.length} find no room` : `all find room`}
                        </td>
                      </tr>
                    );
                  })}
                </tbody>
              </table>
              <p className="pt-1.5 text-ink-2">{plan.packing.bound.text}.</p>
              {bad.length > 0 && (
                <div role="alert" className="my-2 border-brick border-l-[3px] bg-brick-tint px-3 py-1.5">
                  <b className="text-brick">{bad.length} find no place</b>
                  <div>
                    {bad[0]?.guest}: {bad[0]?.why}.
                  </div>
                </div>
              )}
            </>
          )}
          <Refused error={cast.error} />
        </div>
      </div>
    </Dialog>
  );
}
