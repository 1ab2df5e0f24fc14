import type { Setup } from '@praesidor/contract';
import type { Gateway } from '@praesidor/core/model';
import { openStates } from '@praesidor/core/schedule';
import { useQuery } from '@tanstack/react-query';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Steps } from '../../parts/Steps.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';

/** Sets a gateway up: what its members need for that once, the steps of the last time, and what was said meanwhile. */
export function GatewaySetup({ gateway, onClose }: { gateway: Gateway; onClose: () => void }) {
  const { name } = gateway;
  const leave = useMay();
  const at = `/api/gateways/${name}/setup`;
  const setup = useQuery({ queryKey: ['setup', name], queryFn: () => api<Setup>('GET', at) });
  const act = useCall<object, '' | '/stop' | '/resume'>(
    (how: '' | '/stop' | '/resume') => ({ method: 'POST', path: `${at}${how}` }),
    '',
    [['setup', name]],
  );
  const { lacks = [], last, account } = setup.data ?? {};
  const state = last?.status.state;
  const open = state !== undefined && (openStates as readonly string[]).includes(state);
  const held = !leave.may('gateways.set-up') || act.isPending;
  const button = (label: string, how: '' | '/stop' | '/resume', filled = false, disabled = false) => (
    <Button filled={filled} disabled={held || disabled} title={leave.why('gateways.set-up')} onClick={() => act.mutate(how)}>
      {label}
    </Button>
  );
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Set ${name} up`}
      same={() => act.call('')}
      about="Files are checked on every member first; then they come into force, member by member, who leads last."
      acts={
        <>
          <Button onClick={onClose}>Close</Button>
          {open && button('Stop', '/stop')}
          {(state === 'failed' || state === 'stopped') && button('Resume', '/resume')}
          {!open && button(last ? 'Set up again' : 'Set up', '', true, !setup.data || lacks.length > 0)}
        </>
      }
    >
      {lacks.length > 0 && (
        <p className="my-2 border-ochre border-l-[3px] px-3 py-1.5">
          No log-in is declared for {lacks.join(' and ')}. Make the account below there, then declare the host key of each with{' '}
          <i>Change</i>.
        </p>
      )}
      {last && (
        <>
          <p className="pt-1 text-ink-2">
            Begun by {last.createdBy}, <When at={last.createdAt} />
          </p>
          <Steps run={last} />
          <details className="pt-2">
            <summary className="cursor-pointer text-ink-2">What was said</summary>
            <pre className="mono max-h-[240px] overflow-auto whitespace-pre-wrap border border-rule-2 bg-leaf p-2 text-sm">
              {[...last.log]
                .reverse()
                .map((l) => `${l.step}  ${l.line}`)
                .join('\n')}
            </pre>
          </details>
        </>
      )}
      {account && (
        <details className="pt-2" open={lacks.length > 0}>
          <summary className="cursor-pointer text-ink-2">What each member needs once</summary>
          <Needs account={account} />
        </details>
      )}
      <Refused error={act.error ?? setup.error} />
    </Dialog>
  );
}

function Needs({ account }: { account: Setup['account'] }) {
  const rows: [string, string][] = [
    ['Account, without a password', account.user],
    [`Its ~${account.user}/.ssh/authorized_keys`, account.key],
    ['A file in /etc/sudoers.d', account.sudo],
    [`${account.path}, mode 0755`, account.program],
  ];
  return (
    <dl className="grid gap-2 pt-1">
      {rows.map(([label, text]) => (
        <div key={label}>
          <dt className="flex items-baseline justify-between gap-3">
            <b>{label}</b>
            <Copy text={text} className="font-semibold text-verdigris">
              Copy
            </Copy>
          </dt>
          <dd>
            <pre className="mono max-h-[150px] overflow-auto whitespace-pre-wrap break-all border border-rule-2 bg-leaf p-2 text-sm">
              {text}
            </pre>
          </dd>
        </div>
      ))}
    </dl>
  );
}
