import { uplinkFor } from '@praesidor/core/charter';
import type { Host } from '@praesidor/core/model';
import { lazy, Suspense, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Field } from '../../parts/Fields.tsx';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

type Declared = NonNullable<Host['uplink']>;
const bonds: Record<NonNullable<Declared['bond']>, { short: string; label: string; needs: string }> = {
  'active-backup': {
    short: 'bond, one leads',
    label: 'one leads, the others stand by',
    needs: 'The switch need not know of it.',
  },
  '802.3ad': {
    short: 'LACP',
    label: 'LACP (IEEE 802.1AX)',
    needs: 'The switch ports must be one group, and let one port through until LACP runs.',
  },
};
const inWords = ({ adapters, bond, tagged }: Declared) =>
  `${adapters.join(' + ')}${bond ? `, ${bonds[bond].short}` : ''}, ${tagged ? 'tagged' : 'untagged'}`;

/** What carries the machine network of a host: it follows from its links, or is set. */
export function Uplink({ host }: { host: Host }) {
  const [open, setOpen] = useState(false);
  const { adapters, bond } = uplinkFor(host, undefined);
  if (!adapters.length) return null;
  const now: Declared = host.uplink ?? { adapters: adapters.map((a) => a.name), ...(bond ? { bond } : {}), tagged: false };
  return (
    <p className="flex items-baseline gap-2 pt-1.5">
      <span className="whitespace-nowrap text-ink-2">Machine network over</span>
      {host.uplink ? (
        <span className="set">{inWords(now)}</span>
      ) : (
        <span className="follows" title="The first adapter that has a link">
          ↳ {inWords(now)}
        </span>
      )}
      <Button quiet className="py-0!" onClick={() => setOpen(true)}>
        Change…
      </Button>
      {open && <UplinkDialog host={host} now={now} onClose={() => setOpen(false)} />}
    </p>
  );
}

function UplinkDialog({ host, now, onClose }: { host: Host; now: Declared; onClose: () => void }) {
  const names = [...new Set([...now.adapters, ...(host.facts?.nics ?? []).map((n) => n.name)])];
  const [chosen, setChosen] = useState(now.adapters);
  const [bond, setBond] = useState(now.bond ?? ('active-backup' as const));
  const [tagged, setTagged] = useState(now.tagged);
  const several = chosen.length > 1;
  const next: Declared = { adapters: chosen, ...(several ? { bond } : {}), tagged };
  const same = JSON.stringify(next) === JSON.stringify(host.uplink ?? now);
  const toggle = (name: string) => setChosen((all) => (all.includes(name) ? all.filter((n) => n !== name) : [...all, name]));
  const set = (value: Declared | undefined) => [
    { op: 'set' as const, kind: 'Host' as const, key: host.name, path: ['uplink'], value },
  ];
  const [following, setFollowing] = useState(false);
  return (
    <Suspense>
      <EditsDialog
        title={`Machine network of ${host.name}`}
        about="What carries it, from the first start on. The first start itself needs it untagged on one adapter, unless it is from virtual media."
        why={`what carries the machine network of ${host.name}`}
        edits={following ? set(undefined) : same || !chosen.length ? [] : set(next)}
        blocked={!following && !chosen.length ? 'At least one adapter carries it.' : undefined}
        onClose={onClose}
      >
        {host.uplink && (
          <label className="flex items-center gap-2 pb-2">
            <input type="checkbox" checked={following} onChange={(e) => setFollowing(e.target.checked)} />
            Let it follow: the first adapter that has a link, untagged
          </label>
        )}
        <fieldset disabled={following} className={following ? 'opacity-50' : ''}>
          <Field label="Adapters" hint={several ? `${chosen[0]} is first: the bond has its address` : undefined}>
            {() => (
              <div className="flex flex-wrap gap-x-4">
                {names.map((name) => (
                  <label key={name} className="flex items-center gap-1.5">
                    <input type="checkbox" checked={chosen.includes(name)} onChange={() => toggle(name)} />
                    {name}
                  </label>
                ))}
              </div>
            )}
          </Field>
          {several && (
            <Field label="Bond" hint={bonds[bond].needs}>
              {(id) => (
                <select
                  id={id}
                  value={bond}
                  onChange={(e) => setBond(e.target.value as typeof bond)}
                  className="w-full border border-rule-2 bg-leaf px-2 py-1"
                >
                  {Object.entries(bonds).map(([mode, { label }]) => (
                    <option key={mode} value={mode}>
                      {label}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          )}
          <Field label="VLAN">
            {(id) => (
              <label className="flex items-center gap-1.5">
                <input id={id} type="checkbox" checked={tagged} onChange={(e) => setTagged(e.target.checked)} />
                tagged on the wire
              </label>
            )}
          </Field>
        </fieldset>
      </EditsDialog>
    </Suspense>
  );
}
