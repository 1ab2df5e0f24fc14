import { counted } from '@praesidor/core/words';
import { type Estate, keyOf, type ServedRecord } from '@praesidor/core/model';
import { type Drift, drift, fqdn, type PlannedRecord, plannedRecords, recordsOfZone } from '@praesidor/core/naming';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { ZoneFileDialog } from './ZoneFileDialog.tsx';
import { DriftTable } from './DriftTable.tsx';
import { RecordDialog } from './RecordDialog.tsx';
import { SubNav } from './SubNav.tsx';

const none: readonly ServedRecord[] = [];

/** Zones, planned against served, and the update that takes one to the other. */
export function NamesSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const zones = useMemo(() => (estate?.zones ?? []).filter((z) => inScope(z.site)), [estate, inScope]);
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
  const read = useCall<{ served: { serial: number; error?: string } }>(
    () => ({ method: 'POST', path: `/api/zones/${zone?.name}/read` }),
    (r) => (r.served.error ? undefined : `Read, serial ${r.served.serial}.`),
    renew,
  );
  const send = useCall<{ added: number; changed: number; removed: number; serial: number; left: number }, string>(
    (name: string) => ({ method: 'POST', path: `/api/zones/${name}/send` }),
    (r, name) =>
      `${name}: ${r.added} added, ${r.changed} changed, ${r.removed} removed; read back as serial ${r.serial}${r.left ? `, ${r.left} still differ` : ', as planned'}.`,
    renew,
  );
  const [doing, setDoing] = useState<'record' | 'file'>();
  const [removing, setRemoving] = useState<ServedRecord>();
  const [taking, setTaking] = useState<PlannedRecord>();
  const [typed, setTyped] = useState('');
  const addServed = useCall<{ act: number }, ServedRecord>(
    (r: ServedRecord) => ({ method: 'POST', path: `/api/zones/${zone?.name}/add-served`, body: { records: [r] } }),
    (_, r) => `${r.name} is kept by the plan from now on.`,
  );
  const remove = useCall<{ removed: number }, ServedRecord>(
    (r: ServedRecord) => ({ method: 'POST', path: `/api/zones/${zone?.name}/remove`, body: { records: [r] } }),
    (_, r) => `${r.name} removed from the server.`,
    renew,
  );
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && f.code.startsWith('DNS'));
  // What the names of an estate follow from is computed once an estate, not at every stroke of a key.
  const all = useMemo(() => (estate ? plannedRecords(estate) : []), [estate]);
  const planned = useMemo(() => (zone ? recordsOfZone(all, zone.name) : []), [all, zone]);
  const waiting = useMemo(
    () => new Map(estate ? zones.map((z) => [z.name, pending(estate, all, z.name)]) : []),
    [estate, all, zones],
  );
  if (!estate || !zone)
    return (
      <Space space="addresses" title="Names" sheets={<SubNav site={site} />} findings={findings}>
        <Empty
          title="No zones are declared here"
          act={
            <LinkButton filled to={scoped('/declare?kind=Zone&back=/addresses/names', site)}>
              Declare a zone
            </LinkButton>
          }
        >
          A zone names its primary server and the key that signs updates; its records follow from the ledger.
        </Empty>
      </Space>
    );
  const served = estate.observed.zones[zone.name];
  const d = exact.data?.drift;
  const changes = d ? d.add.length + d.change.length + d.remove.length : 0;
  const rest = zones.flatMap((z) => {
    const n = z.name === zone.name ? 0 : (waiting.get(z.name) ?? 0);
    return n ? [{ z, n }] : [];
  });
  const own = (name: string) => (
    <span title={name}>
      {name === zone.name ? '@' : name.endsWith(`.${zone.name}`) ? name.slice(0, -zone.name.length - 1) : name}
    </span>
  );
  return (
    <Space
      space="addresses"
      edits={zone && `Zone ${zone.name}`}
      sheets={<SubNav site={site} />}
      title="Names"
      facts={`${counted(zones.length, 'zone')}`}
      findings={findings}
      acts={
        <>
          <Button data-key="r" disabled={read.isPending} onClick={() => read.mutate()}>
            Read again
          </Button>
          <Button data-key="a" onClick={() => setDoing('record')}>
            Add a record…
          </Button>
          <Button filled disabled={send.isPending || !d || changes === 0} onClick={() => send.mutate(zone.name)}>
            {changes ? `Send ${counted(changes, 'change')}` : 'As planned'}
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-[220px_minmax(0,1fr)] gap-5.5 pt-3">
        <div>
          <nav aria-label="Zones">
            {zones.map((z) => {
              const n = waiting.get(z.name) ?? 0;
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
              <button type="button" className="hover:underline" onClick={() => setDoing('file')}>
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
            <DriftTable
              drift={d}
              planned={planned}
              served={served?.records ?? none}
              own={own}
              busy={addServed.isPending}
              onAdd={addServed.mutate}
              onRemove={setRemoving}
              onTake={setTaking}
            />
          )}
        </div>
      </div>
      {doing === 'record' && <RecordDialog zone={zone} onClose={() => setDoing(undefined)} />}
      {doing === 'file' && <ZoneFileDialog zone={zone} onClose={() => setDoing(undefined)} />}
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
          same={() => remove.call(removing)}
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

/** Records of a zone that are planned and not served as they are. */
function pending(estate: Estate, all: readonly PlannedRecord[], zone: string): number {
  const served = estate.observed.zones[zone];
  if (!served || served.error) return 0;
  const d = drift(recordsOfZone(all, zone), served.records);
  return d.add.length + d.change.length;
}
