import { type Charter, type Estate, kinds, type RawDocument, setAt } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { DocumentForm } from '../../parts/form/DocumentForm.tsx';
import { at, type SheetField } from './fields.ts';

type Row = { name?: string; network?: string; question?: string; count?: number };
/** What a row of a list is called on the sheet: its name, with its number where it has one. */
const called = (row: Row) => `${row.name ?? row.network ?? row.question ?? '?'}${row.count === undefined ? '' : ` ${row.count}`}`;
type Pool = Charter['workers'];
/** What a pool asks of its hosts beside their number, in a few words. */
const asks = (p: Pool) =>
  [
    p.hosts?.length && p.hosts.join(', '),
    p.minCores && `≥ ${p.minCores} cores`,
    p.minMemoryGiB && `≥ ${p.minMemoryGiB} GiB`,
    p.needs?.length && counted(p.needs.length, 'further requirement'),
    p.mould ? `guests of ${p.mould}` : p.from === 'guests' ? 'guests' : p.from === 'metal' ? 'machines' : '',
    p.zones?.length && `zone ${p.zones.join(', ')}`,
    p.arch,
    p.system,
    p.roles?.length && `kept for ${p.roles.join(', ')}`,
    p.labels?.length && counted(p.labels.length, 'label'),
    p.taints?.length && counted(p.taints.length, 'taint'),
  ]
    .filter(Boolean)
    .join(', ') || 'any that fit';
/** What stands for a group on the sheet. */
const groups: Record<string, (c: Charter) => string> = {
  controlPlane: (c) => asks(c.controlPlane as Pool),
  workers: (c) => asks(c.workers),
  servicePool: (c) =>
    !c.servicePool
      ? ''
      : c.servicePool.announce === 'bgp'
        ? `BGP, AS ${c.servicePool.as ?? '?'}, ${counted(c.servicePool.peers?.length ?? 0, 'router')}`
        : 'ARP and NDP',
  second: (c) => (c.second ? `${c.second.pods}, ${c.second.services}` : ''),
};

/** Things that have several fields each, or one that has: a few words on the sheet, and a form that opens. */
export function RowsValue({
  field,
  draft,
  saved,
  estate,
  onEdit,
}: {
  field: SheetField;
  draft: Charter;
  saved: Charter;
  estate: Estate;
  onEdit: (c: Charter) => void;
}) {
  // What is typed goes into the charter when it is whole: half a row is not a charter.
  const [typed, setTyped] = useState<Charter>();
  const whole = typed && kinds.Charter.safeParse(typed);
  const close = () => setTyped(undefined);
  const value = at(draft, field.path);
  const rows = Array.isArray(value) ? (value as Row[]) : [];
  const text =
    field.kind === 'group'
      ? (groups[field.path.join('.')]?.(draft) ?? '')
      : rows.length > 3
        ? counted(rows.length, 'entry', 'entries')
        : rows.map(called).join(', ');
  const changed = JSON.stringify(value) !== JSON.stringify(at(saved, field.path));
  return (
    <>
      <button
        type="button"
        data-edits
        data-field={field.path.join('.')}
        aria-label={`${field.label}: ${text || 'none'}, edit`}
        title={field.words.help}
        className={`set min-w-0 flex-1 truncate py-px text-left ${changed ? 'font-semibold' : ''}`}
        onClick={() => setTyped(draft)}
      >
        {text || <span className="text-ink-3">none</span>}
      </button>
      {typed && (
        <Dialog
          open
          wide
          onClose={close}
          title={field.words.label}
          acts={
            <>
              <Button onClick={close}>Cancel</Button>
              <Button
                filled
                disabled={!whole?.success}
                onClick={() => {
                  if (whole?.success) onEdit(whole.data);
                  close();
                }}
              >
                Apply
              </Button>
            </>
          }
        >
          <DocumentForm
            kind="Charter"
            raw={typed as unknown as RawDocument}
            estate={estate}
            only={field.path[0] as string}
            onSet={(path, value) => setTyped((now) => setAt(now ?? draft, path, value === null ? undefined : value))}
          />
        </Dialog>
      )}
    </>
  );
}
