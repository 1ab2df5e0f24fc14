import { counted } from '@praesidor/core/words';
import { firmwarePlan } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { FirmwareDialog } from './FirmwareDialog.tsx';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { useBeginWork, useStateAct } from './works.ts';

/** What can be done to the hosts that are picked; each host has its own outcome. */
export function SelectionBar({ hosts, estate, onClear }: { hosts: readonly Host[]; estate: Estate; onClear: () => void }) {
  const [doing, setDoing] = useState<'firmware' | 'wipe' | 'drain'>();
  const work = useBeginWork();
  const state = useStateAct();
  const names = hosts.map((h) => h.name);
  const below = hosts.filter((h) => firmwarePlan(h, estate.baselines).steps.length > 0);
  const resting = hosts.filter((h) => h.state === 'resting');
  const item =
    'cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-sunk data-[disabled]:cursor-not-allowed data-[disabled]:text-ink-3';
  const can = (act: string) => state.mutate({ act, hosts: names });
  return (
    <div role="toolbar" aria-label="Picked hosts" className="flex items-center gap-2.5 border border-rule-2 bg-leaf px-3 py-1.5">
      <b>{hosts.length} picked</b>
      <span className="text-ink-2">
        {hosts.reduce((n, h) => n + (h.facts?.cores ?? 0), 0)} cores, {hosts.reduce((n, h) => n + (h.facts?.memoryGiB ?? 0), 0)}{' '}
        GiB
      </span>
      <Button className="ml-auto" disabled={work.isPending} onClick={() => work.mutate({ kind: 'read', hosts: names })}>
        Read facts
      </Button>
      <Button disabled={!below.length} onClick={() => setDoing('firmware')}>
        Firmware…
      </Button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>State ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" className="z-30 min-w-52 border border-rule-2 bg-paper py-1">
            <DropdownMenu.Item
              className={item}
              disabled={!hosts.some((h) => h.state === 'serving')}
              onSelect={() => setDoing('drain')}
            >
              Mark as drained…
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} disabled={!hosts.some((h) => h.drained)} onSelect={() => can('undrain')}>
              Back to work
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => can('give-back')}>
              Give back
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} disabled={!resting.length} onSelect={() => setDoing('wipe')}>
              Wipe…
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => can('retire')}>
              Retire
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => can('bring-back')}>
              Bring back
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Button quiet onClick={onClear}>
        Release from charter
      </Button>
      {doing === 'firmware' && <FirmwareDialog hosts={below} estate={estate} onClose={() => setDoing(undefined)} />}
      {doing === 'wipe' && (
        <TypedDialog
          title={`Wipe ${counted(resting.length, 'host')}`}
          about="Every drive erases itself; what was on it is gone for good. What each drive answers is kept as the proof."
          words={resting.map((h) => h.name).join(' ')}
          act="Wipe"
          onDone={() => work.mutate({ kind: 'wipe', hosts: resting.map((h) => h.name) })}
          onClose={() => setDoing(undefined)}
          same={() => work.call({ kind: 'wipe', hosts: resting.map((h) => h.name) })}
        />
      )}
      {doing === 'drain' && (
        <DrainDialog hosts={hosts.filter((h) => h.state === 'serving')} onClose={() => setDoing(undefined)} />
      )}
    </div>
  );
}

/** That nothing runs on a host any more cannot be measured from here: it is confirmed by name, and kept in the record. */
export function DrainDialog({ hosts, onClose }: { hosts: readonly Host[]; onClose: () => void }) {
  const state = useStateAct();
  return (
    <TypedDialog
      title={`Mark ${hosts.length === 1 ? hosts[0]?.name : `${counted(hosts.length, 'host')}`} as drained`}
      about="You confirm that nothing that matters runs there any more. It is kept in the record under your name; firmware, power and giving back become possible."
      words={hosts.map((h) => h.name).join(' ')}
      act="It is drained"
      onDone={() => state.mutate({ act: 'drain', hosts: hosts.map((h) => h.name) })}
      onClose={onClose}
      same={() => state.call({ act: 'drain', hosts: hosts.map((h) => h.name) })}
    />
  );
}
