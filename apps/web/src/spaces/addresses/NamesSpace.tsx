import { keyOf, type ServedRecord } from '@praesidor/core/model';
import { drift, fqdn, type PlannedRecord, plannedRecords, recordsOfZone } from '@praesidor/core/naming';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/Bastion.tsx';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useAct } from '../../state/act.ts';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { JudgeDialog } from './JudgeDialog.tsx';
import { RecordDialog } from './RecordDialog.tsx';
import { SubNav } from './SubNav.tsx';

type Drift = ReturnType<typeof drift>;

/** Zones, planned against served, and the update that takes one to the other. */
export function NamesSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const zones = (estate?.zones ?? []).filter((z) => inScope(z.site));
  const zone = zones.find((z) => z.name === params.get('zone')) ?? zones[0];
  const snapshot = useSnapshot();
  const exact = useQuery({
    queryKey: ['estate', 'drift', zone?.name, snapshot.dataUpdatedAt],
    enabled: zone !== undefined,
    queryFn: () =>
      api<{ drift: Drift; served: { at: string; serial: number; error?: string } }>('GET', `/api/zones/${zone?.name}/drift`),
    placeholderData: (o) => o,
  });
  const renew = [['estate']];
  const read = useAct(
    () => api<{ served: { serial: number; error?: string } }>('POST', `/api/zones/${zone?.name}/read`),
    (r) => (r.served.error ? undefined : `Read, serial ${r.served.serial}.`),
    renew,
  );
  const send = useAct(
    (name: string) =>
      api<{ added: number; changed: number; removed: number; serial: number; left: number }>('POST', `/api/zones/${name}/send`),
    (r, name) =>
      `${name}: ${r.added} added, ${r.changed} changed, ${r.removed} removed; read back as serial ${r.serial}${r.left ? `, ${r.left} still differ` : ', as planned'}.`,
    renew,
  );
  const [doing, setDoing] = useState<'record' | 'judge'>();
  const [removing, setRemoving] = useState<ServedRecord>();
  const [taking, setTaking] = useState<PlannedRecord>();
  const [typed, setTyped] = useState('');
  const adopt = useAct(
    (r: ServedRecord) => api<{ act: number }>('POST', `/api/zones/${zone?.name}/adopt`, { records: [r] }),
    (_, r) => `${r.name} is kept by the plan from now on.`,
  );
  const remove = useAct(
    (r: ServedRecord) => api<{ removed: number }>('POST', `/api/zones/${zone?.name}/remove`, { records: [r] }),
    (_, r) => `${r.name} removed from the server.`,
    renew,
  );
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && f.code.startsWith('DNS'));
  if (!estate || !zone)
    return (
      <Space space="addresses" title="Names" sheets={<SubNav site={site} />} findings={findings}>
        <Empty title="No zones are declared here">
          A zone names its primary server and the key that signs updates; its records follow from the ledger.
        </Empty>
      </Space>
    );
  const planned = recordsOfZone(plannedRecords(estate), zone.name);
  const served = estate.observed.zones[zone.name];
  const d = exact.data?.drift;
  const changes = d ? d.add.length + d.change.length + d.remove.length : 0;
  const own = (name: string) => (
    <span title={name}>
      {name === zone.name ? '@' : name.endsWith(`.${zone.name}`) ? name.slice(0, -zone.name.length - 1) : name}
    </span>
  );
  const rest = zones
    .filter((z) => z.name !== zone.name)
    .map((z) => ({ z, n: pending(estate, z.name) }))
    .filter((x) => x.n > 0);
  return (
    <Space
      space="addresses"
      sheets={<SubNav site={site} />}
      title="Names"
      facts={`${zones.length} zones`}
      findings={findings}
      acts={
        <>
          <Button disabled={read.isPending} onClick={() => read.mutate()}>
            Read again
          </Button>
          <Button onClick={() => setDoing('record')}>Add a record…</Button>
          <Button filled disabled={send.isPending || !d || changes === 0} onClick={() => send.mutate(zone.name)}>
            {changes ? `Send ${changes} ${changes === 1 ? 'change' : 'changes'}` : 'As planned'}
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-[220px_minmax(0,1fr)] gap-5.5 pt-3">
        <div>
          <nav aria-label="Zones">
            {zones.map((z) => {
              const n = pending(estate, z.name);
              return (
                <button
                  type="button"
                  data-row
                  key={z.name}
                  aria-current={z.name === zone.name}
                  onClick={() =>
                    setParams((p) => {
                      p.set('zone', z.name);
                      return p;
                    })
                  }
                  className={`block w-full px-2.5 py-1.5 text-left ${z.name === zone.name ? 'lit' : ''}`}
                >
                  <span className="block truncate">{z.name}</span>
                  <span className="text-ink-2 text-sm">
                    {estate.observed.zones[z.name]?.error
                      ? 'cannot be read'
                      : n === undefined
                        ? 'not read yet'
                        : n
                          ? `${n} to send`
                          : 'as planned'}
                  </span>
                </button>
              );
            })}
            {rest.length > 0 && changes === 0 && (
              <Button
                className="mt-2"
                onClick={() =>
                  setParams((p) => {
                    p.set('zone', rest[0]?.z.name ?? '');
                    return p;
                  })
                }
              >
                Next zone to send
              </Button>
            )}
          </nav>
        </div>
        <div className="min-w-0">
          <div className="flex items-baseline gap-3 pb-1">
            <h2 className="text-lg">{zone.name}</h2>
            <At kind="Zone" name={zone.name} />
            <span className="text-ink-2">
              {served ? (
                <span>
                  serial {served.serial}, read <When at={served.at} />
                </span>
              ) : (
                'not read yet'
              )}{' '}
              · primary <span className="mono">{zone.primary}</span> · key {zone.key}
            </span>
            <span className="ml-auto flex gap-3 whitespace-nowrap text-verdigris">
              <a href={`/api/zones/${zone.name}/file`} download className="hover:underline">
                zone file
              </a>
              <button type="button" className="hover:underline" onClick={() => setDoing('judge')}>
                check a zone file
              </button>
            </span>
          </div>
          {served?.error && (
            <div className="border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">{served.error}</div>
          )}
          <Refused error={send.error} />
          {served && <Refused error={exact.error} />}
          {d && (
            <table className="grid-table" aria-label="Planned against served">
              <thead>
                <tr>
                  <th className="w-[86px]">Difference</th>
                  <th>Name</th>
                  <th>Type</th>
                  <th>Served</th>
                  <th>Planned</th>
                </tr>
              </thead>
              <tbody>
                {d.change.map((c) => (
                  <tr key={`c${c.name}${c.type}`} className="bg-ochre-tint">
                    <td>change</td>
                    <td>{own(c.name)}</td>
                    <td>{c.type}</td>
                    <td className="mono">
                      {c.served.join(', ')}
                      {c.ttl !== c.servedTtl && <span className="text-ink-3"> for {c.servedTtl} s</span>}
                    </td>
                    <td className="mono follows">
                      ↳ {c.planned.join(', ')}
                      {c.ttl !== c.servedTtl && ` for ${c.ttl} s`}
                    </td>
                  </tr>
                ))}
                {d.add.map((r) => (
                  <tr key={`a${r.name}${r.type}${r.value}`}>
                    <td className="text-verdigris">add</td>
                    <td>{own(r.name)}</td>
                    <td>{r.type}</td>
                    <td className="text-ink-3">—</td>
                    <td className="mono follows">↳ {r.value}</td>
                  </tr>
                ))}
                {d.remove.map((r) => (
                  <tr key={`r${r.name}${r.value}`}>
                    <td className="text-brick">remove</td>
                    <td>{own(r.name)}</td>
                    <td>{r.type}</td>
                    <td className="mono">{r.value}</td>
                    <td className="text-ink-3">—</td>
                  </tr>
                ))}
                {d.foreign.map((r) => (
                  <tr key={`f${r.name}${r.value}`}>
                    <td className="text-ink-3">foreign</td>
                    <td>{own(r.name)}</td>
                    <td>{r.type}</td>
                    <td className="mono">{r.value}</td>
                    <td className="text-ink-3">
                      foreign, ignored
                      <span className="float-right flex gap-3 text-verdigris">
                        <button
                          type="button"
                          className="hover:underline"
                          disabled={adopt.isPending}
                          onClick={() => adopt.mutate(r)}
                        >
                          add to plan
                        </button>
                        <button type="button" className="hover:underline" onClick={() => setRemoving(r)}>
                          remove…
                        </button>
                      </span>
                    </td>
                  </tr>
                ))}
                {planned
                  .filter((p) => served?.records.some((r) => r.name === p.name && r.type === p.type && r.value === p.value))
                  .map((p) => (
                    <tr key={`s${p.name}${p.type}${p.value}`}>
                      <td className="text-ink-3">same</td>
                      <td>{own(p.name)}</td>
                      <td>{p.type}</td>
                      <td className="mono">{p.value}</td>
                      <td className="text-ink-3">
                        {p.from}
                        {p.origin === 'by-hand' && (
                          <button
                            type="button"
                            className="float-right text-verdigris hover:underline"
                            onClick={() => setTaking(p)}
                          >
                            remove from plan…
                          </button>
                        )}
                      </td>
                    </tr>
                  ))}
              </tbody>
            </table>
          )}
        </div>
      </div>
      {doing === 'record' && <RecordDialog zone={zone} onClose={() => setDoing(undefined)} />}
      {doing === 'judge' && <JudgeDialog zone={zone} onClose={() => setDoing(undefined)} />}
      {taking && (
        <EditsDialog
          title={`Remove ${taking.name} from the plan`}
          edits={estate.records
            .filter(
              (r) =>
                r.zone === zone.name &&
                fqdn(r.name, r.zone) === taking.name &&
                r.type === taking.type &&
                r.value === taking.value,
            )
            .map((r) => ({ op: 'drop', kind: 'Record', key: keyOf(r) }))}
          why={`took out ${taking.name} ${taking.type}`}
          onClose={() => setTaking(undefined)}
        />
      )}
      {removing && (
        <Dialog
          open
          onClose={() => setRemoving(undefined)}
          title={`Remove ${removing.name} from the server`}
          about="It is not in the plan: somebody else added it. It cannot be restored from here."
          acts={
            <>
              <Button onClick={() => setRemoving(undefined)}>Cancel</Button>
              <Button
                filled
                disabled={remove.isPending || typed !== removing.name}
                onClick={() => remove.mutate(removing, { onSuccess: () => setRemoving(undefined) })}
              >
                Remove it
              </Button>
            </>
          }
        >
          <p className="mono pb-2">
            {removing.name} {removing.type} {removing.value}
          </p>
          <Field label="Its name, typed">
            {(id) => <Input id={id} value={typed} onChange={(e) => setTyped(e.target.value.trim())} />}
          </Field>
          <Refused error={remove.error} />
        </Dialog>
      )}
    </Space>
  );
}

function pending(estate: NonNullable<ReturnType<typeof useSnapshot>['data']>['estate'], zone: string): number {
  const served = estate.observed.zones[zone];
  if (!served || served.error) return 0;
  const d = drift(recordsOfZone(plannedRecords(estate), zone), served.records);
  return d.add.length + d.change.length;
}
