import type { Host } from '@praesidor/core/model';
import { lazy, Suspense, useId, useState } from 'react';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

type Source = NonNullable<NonNullable<Host['bmc']>['boot']>;
const sources: Record<Source, { label: string; needs: string }> = {
  http: { label: 'over HTTP', needs: 'Its firmware needs an address from DHCP for that.' },
  pxe: {
    label: 'by PXE',
    needs: 'DHCP names the first program and the script of this server; the DHCP files under Addresses have both.',
  },
  media: { label: 'from virtual media', needs: 'Its controller reads the medium from this server; DHCP is not needed.' },
};

/** From where a host starts until it has a system on its disk. */
export function FirstStart({ host }: { host: Host }) {
  const id = useId();
  const [next, setNext] = useState<Source>();
  const now = host.bmc?.boot ?? 'http';
  return (
    <div className="flex items-baseline gap-2 pb-2">
      <label htmlFor={id} className="text-ink-2">
        First start
      </label>
      <select
        id={id}
        value={now}
        onChange={(e) => setNext(e.target.value as Source)}
        className="set bg-paper py-px"
        title={sources[now].needs}
      >
        {Object.entries(sources).map(([source, { label }]) => (
          <option key={source} value={source}>
            {label}
          </option>
        ))}
      </select>
      {next && (
        <Suspense>
          <EditsDialog
            title={`${host.name}: first start ${sources[next].label}`}
            about={sources[next].needs}
            why={`${host.name} starts ${sources[next].label}`}
            edits={[{ op: 'set', kind: 'Host', key: host.name, path: ['bmc', 'boot'], value: next }]}
            onClose={() => setNext(undefined)}
          />
        </Suspense>
      )}
    </div>
  );
}
