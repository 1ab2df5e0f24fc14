import { type Charter, type Estate, kinds, type RawDocument, setAt } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { DocumentForm } from '../../parts/form/DocumentForm.tsx';
import { at, type SheetField } from './fields.ts';

/** What a row of a list is called on the sheet: its name, with its number where it has one. */
const called = (row: { name?: string; network?: string; count?: number }) =>
  `${row.name ?? row.network ?? '?'}${row.count === undefined ? '' : ` ${row.count}`}`;

/** A list of things that have several fields each: their names on the sheet, and a form of them that opens. */
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
  const rows = (at(draft, field.path) as object[] | undefined) ?? [];
  const text = rows.length > 3 ? counted(rows.length, 'entry', 'entries') : rows.map(called).join(', ');
  const changed = JSON.stringify(rows) !== JSON.stringify(at(saved, field.path) ?? []);
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
