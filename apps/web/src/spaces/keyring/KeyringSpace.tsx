import { counted } from '@praesidor/core/words';
import { placeFault } from '@praesidor/core/access';
import { useState } from 'react';
import { useScope } from '../../state/scope.ts';
import { type KeyDto, useKeyring } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { useReport } from '../../state/computed.ts';

const uses = {
  bmc: 'management controllers',
  hypervisor: 'hypervisors',
  registry: 'registries',
  tsig: 'signing DNS updates',
  objects: 'object stores',
  encryption: 'encryption of backups',
  other: 'other',
} as const;

export function KeyringSpace() {
  const keys = useKeyring();
  const leave = useMay();
  const may = leave.may('keyring.change');
  const report = useReport();
  const { params, setParams } = useScope();
  const [chosen, setPutting] = useState<KeyDto | 'new'>();
  // A finding leads here with what is known of the entry that it asks for.
  const wished = params.get('add');
  const changed = keys.data?.find((k) => k.name === params.get('change'));
  const putting =
    chosen ??
    (may
      ? (changed ?? (wished !== null && keys.data && !keys.data.some((k) => k.name === wished) ? 'new' : undefined))
      : undefined);
  const close = () => {
    setPutting(undefined);
    setParams((p) => {
      for (const k of ['add', 'change', 'use', 'places']) p.delete(k);
      return p;
    });
  };
  const [removing, setRemoving] = useState<KeyDto>();
  return (
    <Space
      space="keyring"
      title="Keyring"
      facts={`${counted(keys.data?.length ?? 0, 'entry', 'entries')}, encrypted; referred to by name, never shown`}
      findings={(report.data?.findings ?? []).filter((f) => f.code.startsWith('KEY'))}
      acts={
        <Button filled data-key="a" onClick={() => setPutting('new')} disabled={!may} title={leave.why('keyring.change')}>
          Add…
        </Button>
      }
    >
      {keys.data?.length === 0 ? (
        <Empty
          title="The keyring is empty"
          act={
            may && (
              <Button filled onClick={() => setPutting('new')}>
                Add the first entry…
              </Button>
            )
          }
        >
          Credentials of controllers, registries and name servers are kept here, under a key that this page never sees.
        </Empty>
      ) : (
        <table className="grid-table mt-2">
          <thead>
            <tr>
              <th>Name</th>
              <th>For</th>
              <th>User</th>
              <th>May be sent to</th>
              <th>Added</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {keys.data?.map((k) => (
              <tr key={k.name} data-row tabIndex={-1}>
                <td className="font-semibold">{k.name}</td>
                <td>{uses[k.use as keyof typeof uses]}</td>
                <td className="mono">{k.user}</td>
                <td className="mono max-w-[360px] whitespace-normal!">
                  {k.places.join(', ') || <span className="text-brick">nowhere: it is never sent</span>}
                </td>
                <td className="text-ink-2">
                  <When at={k.createdAt} as="day" /> by {k.createdBy}
                </td>
                <td className="whitespace-nowrap text-right">
                  {may && (
                    <>
                      <button
                        type="button"
                        data-edits
                        aria-label={`Change ${k.name}`}
                        className="mr-3 font-semibold text-verdigris hover:underline"
                        onClick={() => setPutting(k)}
                      >
                        Change…
                      </button>
                      <button
                        type="button"
                        aria-label={`Remove ${k.name}`}
                        className="text-ink-2 hover:underline"
                        onClick={() => setRemoving(k)}
                      >
                        Remove…
                      </button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {putting && (
        <Put
          key={wished ?? ''}
          entry={putting === 'new' ? undefined : putting}
          known={{ name: wished ?? '', use: params.get('use') ?? 'bmc', places: params.get('places') ?? '' }}
          onClose={close}
        />
      )}
      {removing && <Remove entry={removing} onClose={() => setRemoving(undefined)} />}
    </Space>
  );
}

/** A new entry with its secret; or where an old one may be sent, and a new secret if one is typed. */
function Put({
  entry,
  known,
  onClose,
}: {
  entry: KeyDto | undefined;
  /** What a new entry is for, as far as whoever asks for it knows. */
  known: { name: string; use: string; places: string };
  onClose: () => void;
}) {
  const [e, setE] = useState({
    name: entry?.name ?? known.name,
    use: entry?.use ?? known.use,
    // A key that signs updates is called by its own name (RFC 8945).
    user: entry?.user ?? (known.use === 'tsig' ? known.name : ''),
    secret: '',
    places: entry?.places.join('\n') ?? known.places,
  });
  const places = e.places
    .split(/[\n,]+/)
    .map((p) => p.trim())
    .filter(Boolean);
  const wrong = places.map(placeFault).find((f) => f !== undefined);
  const put = useCall<object>(
    () =>
      entry && !e.secret && e.user === entry.user
        ? { method: 'PUT', path: `/api/keyring/${entry.name}/places`, body: { places } }
        : { method: 'POST', path: '/api/keyring', body: { ...e, places } },
    entry ? `${e.name} was changed.` : `${e.name} is in the keyring.`,
    [['keyring'], ['estate']],
  );
  const set = (k: keyof typeof e) => (x: { target: { value: string } }) => setE({ ...e, [k]: x.target.value });
  // Another user means another secret: the old one is not known here.
  const needsSecret = !entry || e.user !== entry.user;
  return (
    <Dialog
      open
      onClose={onClose}
      title={entry ? `Change ${entry.name}` : 'Add to the keyring'}
      same={put.call}
      about={entry ? 'The secret stays as it is when none is typed.' : 'An entry of the same name is replaced.'}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!e.name || (needsSecret && !e.secret) || wrong !== undefined || put.isPending}
            onClick={() => put.mutate(undefined, { onSuccess: onClose })}
          >
            {entry ? 'Save' : 'Add'}
          </Button>
        </>
      }
    >
      {!entry && (
        <Field label="Name">{(id) => <Input id={id} value={e.name} onChange={set('name')} placeholder="bmc-lr" />}</Field>
      )}
      {!entry && (
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
      )}
      <Field label="User">{(id) => <Input id={id} value={e.user} onChange={set('user')} autoComplete="off" />}</Field>
      <Field label="Secret">
        {(id) => <Input id={id} type="password" value={e.secret} onChange={set('secret')} autoComplete="new-password" />}
      </Field>
      <Field
        label="May be sent to"
        wrong={wrong}
        hint="One a line: a document (Registry lr-registry), a host name (*.lr.example), an address or a range (10.62.7.0/24)."
      >
        {(id) => (
          <textarea
            id={id}
            rows={4}
            value={e.places}
            onChange={set('places')}
            className="mono w-full border border-rule-2 bg-leaf px-2 py-1"
          />
        )}
      </Field>
      {!places.length && <p className="text-ochre">Without a place it is sent nowhere.</p>}
      <Refused error={put.error} />
    </Dialog>
  );
}

function Remove({ entry, onClose }: { entry: KeyDto; onClose: () => void }) {
  const remove = useCall<object>(() => ({ method: 'DELETE', path: `/api/keyring/${entry.name}` }), `${entry.name} was removed.`, [
    ['keyring'],
    ['estate'],
  ]);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Remove ${entry.name}`}
      about="Its secret is deleted. This cannot be undone."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={remove.isPending} onClick={() => remove.mutate(undefined, { onSuccess: onClose })}>
            Remove
          </Button>
        </>
      }
      same={remove.call}
    >
      <p className="text-ink-2">What names it in the plan must name another one first.</p>
      <Refused error={remove.error} />
    </Dialog>
  );
}
