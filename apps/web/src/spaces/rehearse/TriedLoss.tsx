import type { LossBegun, Losses } from '@praesidor/contract';
import type { TriedLoss as Seen } from '@praesidor/core/model';
import { type RehearsedRow, spanText } from '@praesidor/core/rehearse';
import { counted, secondsText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useBuilds, useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Steps } from '../../parts/Steps.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { runState } from '../../state/run-state.ts';

/** The loss of hosts that serve, tried: what was measured beside what was rehearsed, and how it goes just now. */
export function TriedLoss({
  name,
  lost,
  hosts,
  rows,
}: {
  name: string;
  lost: string;
  hosts: readonly string[];
  rows: readonly RehearsedRow[];
}) {
  const leave = useMay();
  const estate = useSnapshot().data?.estate;
  const built = useBuilds().data?.some((b) => b.charter === name && b.state === 'done') ?? false;
  const serves =
    built && hosts.every((n) => estate?.hosts.some((h) => h.name === n && h.state === 'serving' && h.held?.charter === name));
  const tried = estate?.observed.losses[name]?.cases[lost];
  const one = hosts.length === 1;
  const at = `/api/charters/${name}/losses`;
  const { data, error } = useQuery({ queryKey: ['losses', name], enabled: serves, queryFn: () => api<Losses>('GET', at) });
  const act = useCall<object, 'stop' | 'resume'>((how: 'stop' | 'resume') => ({ method: 'POST', path: `${at}/${how}` }), '', [
    ['losses', name],
  ]);
  const [asking, setAsking] = useState(false);
  if (!serves && !tried) return null;
  const { last } = data ?? {};
  const { open, broken } = runState(last);
  const held = !leave.may('losses.try') || act.isPending;
  return (
    <section aria-label="Tried" className="pt-5">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="mr-auto text-lg">
          Tried{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {tried ? (
              <>
                {lost} was switched off by {tried.by}, <When at={tried.at} />
                {tried.back === undefined
                  ? ''
                  : `; ready again ${secondsText(Math.round(tried.back / 1000))} after ${one ? 'it was' : 'they were'} switched on`}
              </>
            ) : (
              `${one ? `${lost} serves, and was` : lost === hosts.join(' and ') ? `${lost} were` : `${lost} (${hosts.join(', ')}) was`} never switched off to see what happens`
            )}
          </span>
        </h2>
        {open && last?.case === lost && (
          <Button disabled={held} title={leave.why('losses.try')} onClick={() => act.mutate('stop')}>
            Stop
          </Button>
        )}
        {broken && last?.case === lost && (
          <Button disabled={held} title={leave.why('losses.try')} onClick={() => act.mutate('resume')}>
            Resume
          </Button>
        )}
        {serves && !open && (
          <Button disabled={held} title={leave.why('losses.try')} onClick={() => setAsking(true)}>
            Switch {one ? lost : counted(hosts.length, 'host')} off…
          </Button>
        )}
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
      {tried && <Lines tried={tried} />}
      {asking && <OffDialog name={name} lost={lost} hosts={hosts} rows={rows} onClose={() => setAsking(false)} />}
    </section>
  );
}

const never = 'not by itself';
function Lines({ tried }: { tried: Seen }) {
  const other = tried.lines.filter((l) => !l.agrees).length;
  return (
    <>
      <p className="pb-1">
        <Mark kind={other ? 'half' : 'done'} />{' '}
        {other
          ? `${other} of ${counted(tried.lines.length, 'time')} otherwise than rehearsed`
          : `${counted(tried.lines.length, 'time')} as rehearsed`}
      </p>
      <table className="grid-table" aria-label="Measured beside rehearsed">
        <thead>
          <tr>
            <th>After the loss</th>
            <th>Rehearsed</th>
            <th>Measured</th>
            <th>
              <span className="sr-only">Agrees</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {tried.lines.map((l) => (
            <tr key={`${l.what} ${l.name}`}>
              <td className="whitespace-normal!">
                <span className="font-semibold">{l.name}</span> <span className="text-ink-2">{l.text}</span>
              </td>
              <td className="follows whitespace-nowrap">{l.is && l.is.to === 0 ? 'at once' : spanText(l.is, never)}</td>
              <td className="whitespace-nowrap">{spanText(l.came, 'not while it was looked at')}</td>
              <td>{l.agrees ? 'as rehearsed' : <span className="text-brick">{apart(l)}</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {tried.without.length > 0 && <p className="pt-1 text-ink-2">Not looked at: {tried.without.join('; ')}.</p>}
    </>
  );
}
/** How far what was measured is from what was rehearsed. */
function apart({ is, came }: Seen['lines'][number]): string {
  if (!is) return 'came back';
  if (!came) return 'did not come back';
  const ms = came.from > is.to ? came.from - is.to : is.from - came.to;
  return `${secondsText(Math.max(1, Math.round(ms / 1000)))} ${came.from > is.to ? 'later' : 'sooner'}`;
}

function OffDialog({
  name,
  lost,
  hosts,
  rows,
  onClose,
}: {
  name: string;
  lost: string;
  hosts: readonly string[];
  rows: readonly RehearsedRow[];
  onClose: () => void;
}) {
  const [typed, setTyped] = useState('');
  const act = useCall<LossBegun>(
    () => ({ method: 'POST', path: `/api/charters/${name}/losses`, body: { case: lost, off: typed.trim() } }),
    '',
    [['losses', name]],
  );
  const bad = rows.filter((r) => r.bad);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Switch ${lost} off`}
      about={`${hosts.length === 1 ? 'Its power is' : `The power of ${hosts.join(', ')} is`} cut, as in a loss: nothing is drained. What ${name} does then is measured, and ${hosts.length === 1 ? 'it is' : 'they are'} switched on again.`}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={typed.trim() !== lost || act.isPending}
            onClick={() => act.mutate(undefined, { onSuccess: onClose })}
          >
            Switch off
          </Button>
        </>
      }
      same={act.call}
    >
      <p className="pb-1 text-ink-2">{bad.length ? 'Rehearsed as away meanwhile:' : 'Rehearsed: nothing is away.'}</p>
      {bad.length > 0 && (
        <ul className="mb-3">
          {bad.map((r) => (
            <li key={`${r.title} ${r.about}`} className="flex justify-between gap-4 border-rule border-b py-0.5">
              <span>
                <span className="font-semibold">{r.title}</span> <span className="text-ink-2">{r.about}</span>
              </span>
              <span className="follows">{r.sum}</span>
            </li>
          ))}
        </ul>
      )}
      <p className="pb-3 text-ink-2">Where pods really run may be elsewhere than rehearsed here: that is looked at before.</p>
      <Field label="Type its name" hint={<span className="mono">{lost}</span>}>
        {(id) => <Input id={id} value={typed} onChange={(e) => setTyped(e.target.value)} className="mono" />}
      </Field>
      <Refused error={act.error} />
    </Dialog>
  );
}
