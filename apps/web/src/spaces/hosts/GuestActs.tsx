import type { Estate, Host } from '@praesidor/core/model';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { useBeginWork } from './works.ts';

/** What is done to a guest: cast, started, shut down, taken away. */
export function GuestActs({ host, estate }: { host: Host; estate: Estate }) {
  const work = useBeginWork();
  const seen = estate.observed.hypervisors[host.guest?.hypervisor ?? ''];
  const is = seen?.guests.find((g) => g.name === host.name);
  const [removing, setRemoving] = useState(false);
  const power = (to: string) => work.mutate({ kind: 'power', hosts: [host.name], asked: { to } });
  return (
    <>
      <p className="pb-2 text-ink-2">
        {seen?.error ? `${host.guest?.hypervisor}: ${seen.error}` : is ? `It is ${is.state} there.` : 'It has not been cast yet.'}
      </p>
      <div className="flex flex-wrap gap-2">
        {!is && (
          <Button onClick={() => work.mutate({ kind: 'cast', hosts: [host.name], asked: { start: true } })}>
            Cast and start
          </Button>
        )}
        {is?.state === 'off' && <Button onClick={() => power('on')}>Start</Button>}
        {is?.state === 'running' && <Button onClick={() => power('off')}>Shut down</Button>}
        {is?.state === 'running' && <Button onClick={() => power('restart')}>Restart</Button>}
        {is && <Button onClick={() => setRemoving(true)}>Delete guest…</Button>}
      </div>
      {removing && (
        <TypedDialog
          title={`Delete ${host.name} on ${host.guest?.hypervisor}`}
          about="It is stopped, and its volumes are deleted for good. Its entry stays, and it can be cast again."
          words={host.name}
          act="Delete"
          onDone={() => work.mutate({ kind: 'remove', hosts: [host.name] })}
          onClose={() => setRemoving(false)}
          same={() => work.call({ kind: 'remove', hosts: [host.name] })}
        />
      )}
    </>
  );
}
