import type { SitePower, SitePowerBegun } from '@praesidor/contract';
import { type ColdStart, startSteps, stopSteps, switchedBy } from '@praesidor/core/cold-start';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { Steps } from '../../parts/Steps.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { runState } from '../../state/run-state.ts';

type To = 'start' | 'stop';

/** The order, carried out: what is switched from here, what is asked, what is left to people in the room; and how it goes just now. */
export function CarriedOut({ site, title, all, to }: { site: string; title: string; all: ColdStart; to: To }) {
  const leave = useMay();
  const estate = useSnapshot().data?.estate;
  const at = `/api/sites/${site}/power`;
  const { data, error } = useQuery({ queryKey: ['site power', site], queryFn: () => api<SitePower>('GET', at) });
  const act = useCall<object, 'stop' | 'resume'>((how: 'stop' | 'resume') => ({ method: 'POST', path: `${at}/${how}` }), '', [
    ['site power', site],
  ]);
  const [asking, setAsking] = useState(false);
  const plan = useMemo(
    () => (to === 'start' ? startSteps : stopSteps)(all, site, switchedBy(estate?.hosts ?? [])),
    [estate, all, site, to],
  );
  const { last } = data ?? {};
  const state = last?.status.state;
  const { open, broken } = runState(last);
  const hosts = plan.steps.filter((s) => s.host).length;
  const held = !leave.may('sites.power') || act.isPending;
  return (
    <section aria-label="Carried out" className="pt-3 print:hidden">
      <div className="flex items-center gap-2">
        <p className="mr-auto text-ink-2">
          {hosts
            ? `${counted(hosts, 'host')} can be ${to === 'start' ? 'switched on' : 'shut down'} from here${plan.byHand.length ? `; by hand: ${listed(plan.byHand)}` : ''}`
            : 'No host is switched from here: this is a list for the room.'}
        </p>
        {open && (
          <Button disabled={held} title={leave.why('sites.power')} onClick={() => act.mutate('stop')}>
            Stop this
          </Button>
        )}
        {broken && (
          <Button disabled={held} title={leave.why('sites.power')} onClick={() => act.mutate('resume')}>
            Resume
          </Button>
        )}
        {!open && hosts > 0 && (
          <Button disabled={held} title={leave.why('sites.power')} onClick={() => setAsking(true)}>
            {to === 'start' ? `Start ${title}…` : `Shut ${title} down…`}
          </Button>
        )}
      </div>
      <Refused error={act.error ?? error} />
      {last && (
        <details open={open || broken} className="mt-2 border-rule-2 border-y py-1">
          <summary className="cursor-pointer text-ink-2">
            {last.title}, begun by {last.createdBy}, <When at={last.createdAt} />
            {state === 'done' ? ': done' : ''}
          </summary>
          <Steps run={last} />
        </details>
      )}
      {asking && (
        <PowerDialog site={site} title={title} to={to} hosts={hosts} byHand={plan.byHand} onClose={() => setAsking(false)} />
      )}
    </section>
  );
}

const listed = (names: readonly string[]) =>
  names.length > 4 ? `${names.slice(0, 4).join(', ')} and ${names.length - 4} more` : names.join(', ');

function PowerDialog({
  site,
  title,
  to,
  hosts,
  byHand,
  onClose,
}: {
  site: string;
  title: string;
  to: To;
  hosts: number;
  byHand: readonly string[];
  onClose: () => void;
}) {
  const [typed, setTyped] = useState('');
  const act = useCall<SitePowerBegun>(
    () => ({ method: 'POST', path: `/api/sites/${site}/power`, body: { to, site: typed.trim() } }),
    '',
    [['site power', site]],
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={to === 'start' ? `Start ${title}` : `Shut ${title} down`}
      about={
        to === 'start'
          ? `${counted(hosts, 'host')} ${hosts === 1 ? 'is' : 'are'} switched on, each when what it waits for is up. What is on already is left as it is.`
          : `${counted(hosts, 'host')} ${hosts === 1 ? 'is' : 'are'} shut down in turns, what others need last. None is cut: one that does not go off is waited for.`
      }
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={typed.trim() !== site || act.isPending}
            onClick={() => act.mutate(undefined, { onSuccess: onClose })}
          >
            {to === 'start' ? 'Start' : 'Shut down'}
          </Button>
        </>
      }
      same={act.call}
    >
      {byHand.length > 0 && <p className="pb-3 text-ink-2">In the room, by hand: {byHand.join(', ')}.</p>}
      {to === 'stop' && (
        <p className="pb-3 text-ink-2">If Praesidor runs at {title}, it ends with its host: shut that one down last, by hand.</p>
      )}
      <Field label="Type its short name" hint={<span className="mono">{site}</span>}>
        {(id) => <Input id={id} value={typed} onChange={(e) => setTyped(e.target.value)} className="mono" />}
      </Field>
      <Refused error={act.error} />
    </Dialog>
  );
}
