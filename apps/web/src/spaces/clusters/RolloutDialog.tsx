import type { RolloutBegun } from '@praesidor/contract';
import { RolloutAsked, type RolloutPlan, type RolloutWhen, wavesOf } from '@praesidor/core/rollout';
import { counted, secondsText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { computerWith } from '../../workers/compute.ts';

const whens: Record<RolloutWhen, string> = {
  any: 'at any time',
  hours: 'in the permitted hours of its link',
  docked: 'while its faster link is there',
};
const whole = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : Number.NaN);

/** What a roll-out would do, computed where nobody waits for it. */
function useRolloutPlan(template: string, asked: RolloutAsked | undefined) {
  const snapshot = useSnapshot();
  return useQuery({
    queryKey: ['rollout plan', template, JSON.stringify(asked), snapshot.data?.state],
    enabled: snapshot.data !== undefined && asked !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async (): Promise<RolloutPlan | null> =>
      snapshot.data && asked ? ((await (await computerWith(snapshot.data)).rollout(template, asked)) ?? null) : null,
  });
}

/** A version of a template over its clusters: in which waves, how many at once, and when; what follows stands below. */
export function RolloutDialog({
  template,
  versions,
  version: newest,
  clusters: all,
  onClose,
}: {
  template: string;
  /** All that are known, the newest first. */
  versions: readonly number[];
  version: number;
  /** With the version that each has. */
  clusters: readonly { charter: string; site: string; version: number }[];
  onClose: () => void;
}) {
  const leave = useMay();
  const [version, setVersion] = useState(newest);
  const [without, setWithout] = useState<readonly string[]>([]);
  const [first, setFirst] = useState('1');
  const [size, setSize] = useState('10');
  const [atOnce, setAtOnce] = useState('2');
  const [rest, setRest] = useState('24');
  const [when, setWhen] = useState<RolloutWhen>('any');
  const others = all.filter((c) => c.version !== version);
  const chosen = others.filter((c) => !without.includes(c.charter)).map((c) => c.charter);
  const asked = RolloutAsked.safeParse({
    version,
    waves: wavesOf(chosen, whole(first) || 0, whole(size) || 1),
    atOnce: whole(atOnce),
    restHours: whole(rest),
    when,
  });
  const plan = useRolloutPlan(template, asked.data).data;
  const begin = useCall<RolloutBegun>(
    () => ({ method: 'POST', path: `/api/templates/${template}/rollout`, body: asked.data }),
    () => `Version ${version} of ${template} is being rolled out.`,
    [['rollout', template]],
  );
  const number = (label: string, text: string, set: (v: string) => void, least: number, hint: string) => (
    <Field label={label} hint={hint} wrong={whole(text) >= least ? undefined : `a whole number from ${least} on`}>
      {(id) => <Input id={id} inputMode="numeric" value={text} onChange={(e) => set(e.target.value)} />}
    </Field>
  );
  const faults = plan?.rows.filter((r) => r.fault || r.change?.refused.length) ?? [];
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Roll out ${template}`}
      about="Images are sent ahead to all. A wave begins when the one before is proved and has rested. It stops where a proof fails or a finding says stop; what has begun runs to its end."
      same={() => begin.call()}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!asked.success || begin.isPending || !leave.may('builds.run')}
            title={leave.why('builds.run')}
            onClick={() => begin.mutate(undefined, { onSuccess: onClose })}
          >
            Roll out
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-2 gap-x-6">
        <Field label="Version">
          {(id) => (
            <select
              id={id}
              className="w-full border border-rule-2 bg-leaf px-2 py-1"
              value={version}
              onChange={(e) => setVersion(Number(e.target.value))}
            >
              {versions.map((v) => (
                <option key={v} value={v}>
                  {v}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="When">
          {(id) => (
            <select
              id={id}
              className="w-full border border-rule-2 bg-leaf px-2 py-1"
              value={when}
              onChange={(e) => setWhen(e.target.value as RolloutWhen)}
            >
              {(Object.keys(whens) as RolloutWhen[]).map((w) => (
                <option key={w} value={w}>
                  {whens[w]}
                </option>
              ))}
            </select>
          )}
        </Field>
        {number('First wave', first, setFirst, 0, 'clusters that show whether it can be done')}
        {number('Further waves', size, setSize, 1, 'clusters each')}
        {number('At once', atOnce, setAtOnce, 1, 'clusters of a wave that are changed at the same time')}
        {number('Rest', rest, setRest, 0, 'hours from the end of a wave to the next')}
      </div>
      <table className="grid-table mt-1" aria-label="Clusters in their waves">
        <thead>
          <tr>
            <th>
              <span className="sr-only">Included</span>
            </th>
            <th>Wave</th>
            <th>Cluster</th>
            <th>Version</th>
            <th>Images there</th>
            <th>Change</th>
            <th>Expected after</th>
          </tr>
        </thead>
        <tbody>
          {others.map((c) => {
            const row = plan?.rows.find((r) => r.charter === c.charter);
            return (
              <tr key={c.charter}>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`Include ${c.charter}`}
                    checked={!without.includes(c.charter)}
                    onChange={(e) =>
                      setWithout(e.target.checked ? without.filter((w) => w !== c.charter) : [...without, c.charter])
                    }
                  />
                </td>
                <td>{row?.wave ?? '—'}</td>
                <td className="font-semibold">{c.charter}</td>
                <td>
                  {c.version} → {version}
                </td>
                <td>
                  {row?.images && (
                    <span className="flex items-center gap-1.5">
                      <Mark kind={row.images.has >= row.images.of ? 'done' : row.images.has ? 'half' : 'free'} />
                      {row.images.has >= row.images.of ? 'all' : `${Math.floor((100 * row.images.has) / row.images.of)} %`}
                    </span>
                  )}
                </td>
                <td className="whitespace-normal!">
                  {row?.fault ? (
                    <span className="text-brick">{row.fault}</span>
                  ) : row?.change?.refused.length ? (
                    <span className="text-brick">{row.change.refused.join('; ')}</span>
                  ) : row ? (
                    (row.change?.label ?? (row.stands ? 'what its files differ by' : 'the charter alone: it is not built'))
                  ) : (
                    ''
                  )}
                </td>
                <td className="follows">{row ? `↳ ${secondsText(row.to)}` : ''}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="pt-2 text-ink-2">
        {chosen.length
          ? `${counted(chosen.length, 'cluster')} in ${counted(asked.data?.waves.length ?? 0, 'wave')}${faults.length ? `; ${counted(faults.length, 'cluster stops', 'clusters stop')} there` : ''}.`
          : 'No cluster is chosen.'}
      </p>
      <Refused error={begin.error} />
    </Dialog>
  );
}
