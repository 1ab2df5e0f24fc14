import type { BackupBegun } from '@praesidor/contract';
import type { StandbyRow } from '@praesidor/core/backup';
import { secondsText } from '@praesidor/core/words';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';

/** The last: an activation was broken off, and what it ended there is begun again. */
export type Turning = 'activate' | 'give-back' | 'start-again';

/** A standby copy is activated, or given back: what happens at either cluster is said, and its name is typed. */
export function TurnDialog({ row, what, onClose }: { row: StandbyRow; what: Turning; onClose: () => void }) {
  const { standby, charter } = row;
  const { workload, cluster, of } = standby;
  const [silent, setSilent] = useState(false);
  const [typed, setTyped] = useState('');
  const act = useCall<BackupBegun>(
    () => ({
      method: 'POST',
      path: `/api/charters/${charter}/standbys/${workload}/${what === 'activate' ? what : 'give-back'}`,
      body: {
        turn: typed.trim(),
        ...(what === 'activate' && silent ? { silent: true } : {}),
      },
    }),
    '',
    [['backups', charter]],
  );
  const steps =
    what === 'start-again'
      ? [`${of} starts at ${cluster} with what it has`, 'the copy follows it again']
      : what === 'give-back'
        ? [
            `${workload} ends at ${charter}`,
            'what its volumes have is backed up',
            `it is written over what ${of} has at ${cluster}`,
            `${of} starts at ${cluster}, and the copy follows it again`,
          ]
        : silent
          ? [
              `${cluster} is asked once more: if it answers, nothing is done`,
              `${workload} starts at ${charter} with what it holds`,
              `as soon as ${cluster} answers, ${of} ends there`,
            ]
          : [
              `${of} ends at ${cluster}`,
              'what its volumes have is backed up',
              `it is written at ${charter}`,
              `${workload} starts at ${charter}`,
            ];
  return (
    <Dialog
      open
      onClose={onClose}
      title={
        what === 'activate'
          ? `Activate ${workload} at ${charter}`
          : what === 'give-back'
            ? `Give ${workload} back to ${cluster}`
            : `Start ${of} at ${cluster} again`
      }
      about={
        what === 'start-again' ? (
          `Its activation at ${charter} was broken off: it runs at neither.`
        ) : what === 'activate' ? (
          <>
            A copy of {of} of {cluster}.{' '}
            {row.holds ? (
              <>
                It holds what was there <When at={row.holds} />.
              </>
            ) : (
              'It holds nothing yet.'
            )}
          </>
        ) : (
          <>
            {of} has ended at {cluster} {row.ended ? '' : 'as soon as that answers '}and has there what it had before.
          </>
        )
      }
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={typed.trim() !== workload || act.isPending}
            onClick={() => act.mutate(undefined, { onSuccess: onClose })}
          >
            {{ activate: 'Activate', 'give-back': 'Give back', 'start-again': 'Start again' }[what]}
          </Button>
        </>
      }
      same={act.call}
    >
      {what === 'activate' && (
        <fieldset className="mb-3 flex flex-col gap-1.5">
          <legend className="pb-1 text-ink-2 text-sm">{cluster}</legend>
          {(
            [
              [false, 'answers: nothing is lost'],
              [
                true,
                row.lag === undefined
                  ? 'does not answer'
                  : `does not answer: what was written in the last ${secondsText(Math.max(0, row.lag) / 1000)} is lost`,
              ],
            ] as const
          ).map(([is, label]) => (
            <label key={label} className="flex items-center gap-2">
              <input
                type="radio"
                name="other"
                checked={silent === is}
                disabled={is && !row.holds}
                onChange={() => setSilent(is)}
              />
              {label}
            </label>
          ))}
        </fieldset>
      )}
      <ol className="mb-3 list-decimal pl-5">
        {steps.map((s) => (
          <li key={s}>{s}</li>
        ))}
      </ol>
      <Field label="Type its name" hint={<span className="mono">{workload}</span>}>
        {(id) => <Input id={id} value={typed} onChange={(e) => setTyped(e.target.value)} className="mono" />}
      </Field>
      <Refused error={act.error} />
    </Dialog>
  );
}
