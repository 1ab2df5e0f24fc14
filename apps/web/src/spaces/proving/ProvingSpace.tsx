import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { useProving } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { useMay } from '../../state/may.ts';
import { useCall } from '../../state/call.ts';

const stages: Record<string, string> = {
  off: 'off',
  post: 'self-test',
  fetch: 'fetching its kit',
  system: 'first boot',
  images: 'pulling images',
  waiting: 'waiting to join',
  joined: 'in the cluster',
};

/** The outside devices of a demonstration: what they do, how fast their time runs, and faults planted in them. */
export function ProvingSpace() {
  const leave = useMay();
  const p = useProving();
  const here = p.data?.here ? p.data : undefined;
  const speed = useCall<object, number>((n: number) => ({ method: 'POST', path: '/api/proving/speed', body: { speed: n } }), '', [
    ['proving'],
  ]);
  const fault = useCall<object, { kind: string; subject: string; plant: boolean }>(
    (f: { kind: string; subject: string; plant: boolean }) => ({ method: 'POST', path: '/api/proving/faults', body: f }),
    (_, f) => `${f.plant ? 'Planted' : 'Lifted'}: ${here?.kinds[f.kind]?.title.toLowerCase()}, ${f.subject}.`,
    [['proving']],
  );
  const [kind, setKind] = useState('bmc-silent');
  const [subject, setSubject] = useState('');
  if (!here)
    return (
      <Space space="proving" title="Proving ground" findings={[]}>
        <Empty title={p.error ? 'The proving ground does not answer' : 'No proving ground belongs to this installation'}>
          {p.error?.message ?? 'It is started with the demonstration and plays the outside devices.'}
        </Empty>
      </Space>
    );
  const d = here;
  const on = d.kinds[kind]?.on;
  const subjects =
    on === 'machine'
      ? d.machines.map((m) => m.name)
      : on === 'hypervisor'
        ? (d.hypervisors ?? []).map((h) => h.name)
        : on === 'registry'
          ? d.registries.map((r) => r.name)
          : on === 'time server'
            ? d.timeServers
            : on === 'cluster'
              ? d.clusters.map((c) => c.name)
              : on === 'store'
                ? (d.stores ?? [])
                : on === 'provider'
                  ? (d.providers ?? [])
                  : ['dns', ...d.zones.map((z) => z.name)];
  const at = subjects.includes(subject) ? subject : (subjects[0] ?? '');
  const may = leave.may('proving.change');
  return (
    <Space
      space="proving"
      title="Proving ground"
      facts={`${counted(d.machines.length, 'machine')}, ${counted(d.hypervisors?.length ?? 0, 'hypervisor')}, ${counted(d.registries.length, 'registry', 'registries')}, ${counted(d.zones.length, 'zone')}, ${counted(Object.keys(d.routers ?? {}).length, 'router')}, ${counted(d.stores?.length ?? 0, 'object store')}`}
      findings={[]}
      foot="What is planted here happens to the devices, not to Praesidor: it finds out as it would outside."
    >
      <h2 className="pt-4 text-lg">Time</h2>
      <div className="flex items-center gap-2 py-1.5">
        {[1, 10, 60, 300, 2000].map((n) => (
          <button
            type="button"
            key={n}
            disabled={!may}
            aria-pressed={d.speed === n}
            onClick={() => speed.mutate(n)}
            className={`border px-2.5 py-1 ${d.speed === n ? 'border-ink bg-ink text-paper' : 'border-rule-2 bg-leaf'}`}
          >
            {n.toLocaleString('en')} ×
          </button>
        ))}
        <span className="pl-2 text-ink-2">
          A build of 90 minutes takes about {d.speed >= 300 ? '15 s' : `${Math.max(1, Math.round((90 * 60) / d.speed / 60))} min`}
          .
        </span>
      </div>
      <h2 className="pt-4 text-lg">Faults</h2>
      <div className="flex items-center gap-2 py-1.5">
        <select
          aria-label="Fault"
          value={kind}
          onChange={(e) => setKind(e.target.value)}
          className="border border-rule-2 bg-leaf px-2 py-1.5"
        >
          {Object.entries(d.kinds).map(([k, v]) => (
            <option key={k} value={k}>
              {v.title}
            </option>
          ))}
        </select>
        <select
          aria-label="Subject"
          value={at}
          onChange={(e) => setSubject(e.target.value)}
          className="border border-rule-2 bg-leaf px-2 py-1.5"
        >
          {subjects.map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
        <Button filled disabled={!may || fault.isPending} onClick={() => fault.mutate({ kind, subject: at, plant: true })}>
          Plant it
        </Button>
        <span className="text-ink-2">{d.kinds[kind]?.text}</span>
      </div>
      {d.faults.length === 0 ? (
        <p className="text-ink-2">No fault is planted.</p>
      ) : (
        <ul aria-label="Planted faults">
          {d.faults.map((f) => (
            <li key={`${f.kind}${f.subject}`} className="flex items-center gap-3 border-rule border-b py-1.5">
              <Mark kind="failing" />
              <b>{d.kinds[f.kind]?.title}</b>
              <span className="mono">{f.subject}</span>
              <button
                type="button"
                disabled={!may}
                className="ml-auto font-semibold text-verdigris"
                onClick={() => fault.mutate({ ...f, plant: false })}
              >
                Lift it
              </button>
            </li>
          ))}
        </ul>
      )}
      <h2 className="pt-4 text-lg">Machines</h2>
      <table className="grid-table">
        <thead>
          <tr>
            <th>Machine</th>
            <th>BMC</th>
            <th>Power</th>
            <th>Does</th>
            <th>Images present</th>
          </tr>
        </thead>
        <tbody>
          {d.machines.map((m) => (
            <tr key={m.name}>
              <td className="font-semibold">{m.name}</td>
              <td className="mono">{m.bmc || <span className="font-sans text-ink-2">guest</span>}</td>
              <td>
                <Mark kind={m.power === 'On' ? 'done' : 'free'} /> {m.power}
              </td>
              <td>{stages[m.stage] ?? m.stage}</td>
              <td>{m.pulled || '—'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="pt-4 text-lg">Running clusters</h2>
      {d.clusters.length === 0 ? (
        <p className="text-ink-2">None: the machines run nothing yet.</p>
      ) : (
        d.clusters.map((c) => (
          <p key={c.name}>
            <Mark kind={c.up ? 'done' : 'failing'} /> {c.name}: {c.up ? 'its API answers' : 'too few control-plane members run'},{' '}
            {c.members.join(', ')}
          </p>
        ))
      )}
    </Space>
  );
}
