import type { Backups, VolumeBackup } from '@praesidor/contract';
import { bytesText, counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Steps } from '../../parts/Steps.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { runState } from '../../state/run-state.ts';
import { ExistingBackups } from './ExistingBackups.tsx';
import { RestoreDialog } from './RestoreDialog.tsx';

/** Rows before somebody asks for all. */
const first = 10;

/** Backups that were made of a cluster's volumes, with what makes and tests them. */
export function MadeBackups({ name, stands, zone }: { name: string; stands: boolean; zone: string }) {
  const leave = useMay();
  const at = `/api/charters/${name}/backups`;
  const { data, error } = useQuery({ queryKey: ['backups', name], queryFn: () => api<Backups>('GET', at) });
  const act = useCall<object, '' | '/test' | '/stop' | '/resume'>(
    (how: '' | '/test' | '/stop' | '/resume') => ({
      method: 'POST',
      path: `${at}${how}`,
      body: how === '' || how === '/test' ? {} : undefined,
    }),
    '',
    [['backups', name]],
  );
  const [whole, setWhole] = useState(false);
  const [restoring, setRestoring] = useState<VolumeBackup>();
  const { backups = [], last } = data ?? {};
  const { open, broken } = runState(last);
  const held = !leave.may('backups.run') || act.isPending;
  const button = (label: string, how: '' | '/test' | '/stop' | '/resume', filled = false) => (
    <Button filled={filled} disabled={held} title={leave.why('backups.run')} onClick={() => act.mutate(how)}>
      {label}
    </Button>
  );
  return (
    <section aria-label="Made" className="pt-6">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="mr-auto text-lg">
          Made{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {counted(backups.length, 'backup')} that can be given back
          </span>
        </h2>
        {open && button('Stop', '/stop')}
        {broken && button('Resume', '/resume')}
        {!open && backups.length > 0 && button('Test the newest', '/test')}
        {!open && stands && button('Back up now', '', true)}
      </div>
      <Refused error={act.error ?? error} />
      {last && (open || broken) && (
        <div className="mb-3 border-rule-2 border-y py-1">
          <p className="text-ink-2">
            {last.title}, begun by {last.createdBy}, <When at={last.createdAt} />
          </p>
          <Steps run={last} />
        </div>
      )}
      {backups.length > 1 && (
        <>
          <ExistingBackups backups={backups} zone={zone} />
          <p className="-mt-2 pb-3 text-ink-2 text-sm">
            <Key is="border-verdigris bg-verdigris" /> tested, passed <Key is="border-plum bg-leaf" /> never tested{' '}
            <Key is="border-brick bg-brick" /> failed its test
          </p>
        </>
      )}
      {backups.length > 0 ? (
        <table className="grid-table" aria-label="Backups made">
          <thead>
            <tr>
              <th>Volume</th>
              <th>Of</th>
              <th className="text-right">Size</th>
              <th className="text-right">Sent</th>
              <th>Store</th>
              <th>By</th>
              <th>Last test</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {backups.slice(0, whole ? undefined : first).map((b) => (
              <Line
                key={b.id}
                backup={b}
                name={name}
                takes={leave.may('backups.take')}
                restores={leave.may('backups.restore') && !open}
                onRestore={() => setRestoring(b)}
              />
            ))}
          </tbody>
        </table>
      ) : (
        data && (
          <p className="text-ink-2">
            {stands
              ? 'None yet: the first is made at the next time of a plan, or now.'
              : `${name} was not built from here, or does not stand: nothing is backed up yet.`}
          </p>
        )
      )}
      {!whole && backups.length > first && (
        <button type="button" className="pt-1 text-verdigris" onClick={() => setWhole(true)}>
          All {backups.length}
        </button>
      )}
      {restoring && <RestoreDialog name={name} backup={restoring} onClose={() => setRestoring(undefined)} />}
    </section>
  );
}

const Key = ({ is }: { is: string }) => (
  <span aria-hidden className={`ml-2 inline-block h-3 w-[6px] border align-middle ${is}`} />
);

function Line({
  backup: b,
  name,
  takes,
  restores,
  onRestore,
}: {
  backup: VolumeBackup;
  name: string;
  takes: boolean;
  restores: boolean;
  onRestore: () => void;
}) {
  return (
    <tr>
      <td className="font-semibold">{b.volume}</td>
      <td className="whitespace-nowrap">
        <When at={b.at} />
      </td>
      <td className="text-right">{bytesText(b.bytes)}</td>
      <td className="text-right text-ink-2">{bytesText(b.sent)}</td>
      <td>{b.store}</td>
      <td className="text-ink-2">{b.labels.length ? `${b.madeBy}: ${b.labels.join(', ')}` : b.madeBy}</td>
      <td className="whitespace-normal!">
        {b.tried ? (
          b.tried.good ? (
            <span title={b.tried.text}>
              passed, <When at={b.tried.at} />
            </span>
          ) : (
            <span className="text-brick">{b.tried.text}</span>
          )
        ) : (
          <span className="text-ochre">never</span>
        )}
      </td>
      <td>
        {takes && (
          <a className="text-verdigris hover:underline" href={`/api/charters/${name}/backups/${b.id}/volume.tar`} download>
            Download
          </a>
        )}
        {restores && (
          <button type="button" className="ml-3 text-verdigris hover:underline" onClick={onRestore}>
            Restore…
          </button>
        )}
      </td>
    </tr>
  );
}
