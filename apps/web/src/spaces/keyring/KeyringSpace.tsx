import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useKeyring, useMe } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { day } from '../../parts/time.ts';
import { useAct } from '../../state/act.ts';
import { useReport } from '../../state/computed.ts';

const uses = {
  bmc: 'management controllers',
  hypervisor: 'hypervisors',
  registry: 'registries',
  tsig: 'signing DNS updates',
  other: 'other',
} as const;

export function KeyringSpace() {
  const keys = useKeyring();
  const me = useMe().data;
  const report = useReport();
  const [adding, setAdding] = useState(false);
  return (
    <Space
      space="keyring"
      title="Keyring"
      facts={`${keys.data?.length ?? 0} entries, encrypted; referred to by name, never shown`}
      findings={(report.data?.findings ?? []).filter((f) => f.code.startsWith('KEY'))}
      acts={
        <Button
          filled
          onClick={() => setAdding(true)}
          disabled={me?.role !== 'warden'}
          title={me?.role === 'warden' ? '' : 'takes the role warden'}
        >
          Put in…
        </Button>
      }
    >
      {keys.data?.length === 0 ? (
        <Empty title="The keyring is empty">
          Credentials of controllers, registries and name servers are kept here, under a key that this page never sees.
        </Empty>
      ) : (
        <table className="grid-table mt-2">
          <thead>
            <tr>
              <th>Name</th>
              <th>For</th>
              <th>User</th>
              <th>Put in</th>
            </tr>
          </thead>
          <tbody>
            {keys.data?.map((k) => (
              <tr key={k.name} data-row tabIndex={-1}>
                <td className="font-semibold">{k.name}</td>
                <td>{uses[k.use as keyof typeof uses]}</td>
                <td className="mono">{k.user}</td>
                <td className="text-ink-2">
                  {day(k.createdAt)} by {k.createdBy}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {adding && <PutIn onClose={() => setAdding(false)} />}
    </Space>
  );
}

function PutIn({ onClose }: { onClose: () => void }) {
  const [e, setE] = useState({ name: '', use: 'bmc', user: '', secret: '' });
  const put = useAct(() => api('POST', '/api/keyring', e), `${e.name} is in the keyring.`, [['keyring'], ['estate']]);
  const set = (k: keyof typeof e) => (x: { target: { value: string } }) => setE({ ...e, [k]: x.target.value });
  return (
    <Dialog
      open
      onClose={onClose}
      title="Put into the keyring"
      about="An entry of the same name is replaced."
      acts={
        <>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            filled
            disabled={!e.name || !e.secret || put.isPending}
            onClick={() => put.mutate(undefined, { onSuccess: onClose })}
          >
            Put in
          </Button>
        </>
      }
    >
      <Field label="Name">{(id) => <Input id={id} value={e.name} onChange={set('name')} placeholder="bmc-lr" />}</Field>
      <Field label="For">
        {(id) => (
          <select id={id} value={e.use} onChange={set('use')} className="border border-rule-2 bg-leaf px-2 py-1">
            {Object.entries(uses).map(([k, t]) => (
              <option key={k} value={k}>
                {t}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="User">{(id) => <Input id={id} value={e.user} onChange={set('user')} autoComplete="off" />}</Field>
      <Field label="Secret">
        {(id) => <Input id={id} type="password" value={e.secret} onChange={set('secret')} autoComplete="new-password" />}
      </Field>
      <Refused error={put.error} />
    </Dialog>
  );
}
