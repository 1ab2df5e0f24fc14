import { type Doc, type Edit, type Estate, find, keyOf } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { editsAskedBy } from '@praesidor/core/access';
import { type ReactNode, useMemo, useState } from 'react';
import type { Call } from '../api/client.ts';
import { useSnapshot } from '../api/queries.ts';
import { AsksTwo } from '../parts/AsksTwo.tsx';
import { Button } from '../parts/Button.tsx';
import { Dialog } from '../parts/Dialog.tsx';
import { Refused } from '../parts/Refused.tsx';
import { useCall } from '../state/call.ts';
import { describe, type Row } from './describe.ts';
import { Preview, usePreview } from './Preview.tsx';
import ProposeDialog from './ProposeDialog.tsx';

/** Shows exactly what edits will change, and what the checks would then find; makes them as one act that can be undone. */
export default function EditsDialog({
  title,
  about,
  edits,
  why,
  blocked,
  send,
  label = 'Make this change',
  done,
  folded = false,
  children,
  onDone,
  onClose,
}: {
  title: string;
  about?: ReactNode;
  edits: readonly Edit[];
  why: string;
  /** The change cannot be made: why. */
  blocked?: string | undefined;
  /** The act that makes them, where more comes with it than the edits. */
  send?: Call;
  label?: string;
  /** What is in the dialog says it all; every change by field is there for whoever opens it. */
  folded?: boolean;
  /** What is said when it is made. */
  done?: string | (() => string);
  children?: ReactNode;
  onDone?: () => void;
  onClose: () => void;
}) {
  const snapshot = useSnapshot();
  const preview = usePreview(edits);
  const asks = useMemo(() => (snapshot.data ? editsAskedBy(snapshot.data.estate, edits) : undefined), [snapshot.data, edits]);
  const [proposing, setProposing] = useState(false);
  const act = useCall<{ act: number }>(
    () => send ?? { method: 'POST', path: '/api/edits', body: { edits, why, revision: snapshot.data?.revision } },
    done ?? `${why}: done.`,
    [['estate'], ['charter'], ['files']],
  );
  // What an act does to the state of hosts is nobody’s to propose: it has guards of its own.
  const proposable =
    edits.length > 0 && blocked === undefined && !(send && edits.some((e) => e.op === 'put' && e.doc.kind === 'Host'));
  if (proposing)
    return (
      <ProposeDialog
        title={why}
        what={{ edits, base: seenBy(edits, snapshot.data?.estate) }}
        onDone={onClose}
        onClose={() => setProposing(false)}
      />
    );
  const rows = edits.flatMap((e) => describe(e, snapshot.data?.estate));
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={title}
      about={about}
      acts={
        <>
          {proposable && (
            <Button filled={asks !== undefined} onClick={() => setProposing(true)} className={asks ? 'order-last' : ''}>
              Propose…
            </Button>
          )}
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled={asks === undefined}
            // Not before it is known what it does: what arrives late would also move the button under the pointer.
            disabled={act.isPending || !edits.length || blocked !== undefined || asks !== undefined || preview.isPending}
            onClick={() =>
              act.mutate(undefined, {
                onSuccess: () => {
                  onDone?.();
                  onClose();
                },
              })
            }
          >
            {label}
          </Button>
        </>
      }
      same={act.call}
    >
      {children}
      {blocked && <p className="my-2 border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">{blocked}</p>}
      {asks && <AsksTwo who={asks} />}
      {rows.length > 0 &&
        (folded ? (
          <details>
            <summary className="cursor-pointer py-1 text-ink-2">{counted(rows.length, 'change')} by field</summary>
            <Rows rows={rows} />
          </details>
        ) : (
          <Rows rows={rows} />
        ))}
      {preview.data && edits.length > 0 && <Preview found={preview.data} />}
      <Refused error={act.error ?? preview.error} />
    </Dialog>
  );
}

/** Documents as they stood for whoever wrote whole ones over them: what others changed since is not taken back. */
const seenBy = (edits: readonly Edit[], estate: Estate | undefined): Doc[] =>
  estate ? edits.flatMap((e) => (e.op === 'put' ? (find(estate, e.doc.kind, keyOf(e.doc)) ?? []) : [])) : [];

const shown = 40;
export function Rows({ rows }: { rows: readonly Row[] }) {
  return (
    <>
      <table className="grid-table">
        <thead>
          <tr>
            <th>What</th>
            <th>Stands</th>
            <th>Will be</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, shown).map((r) => (
            <tr key={`${r.what} ${r.after}`}>
              <td className="wrap-anywhere whitespace-normal!">{r.what}</td>
              <td className="mono wrap-anywhere whitespace-normal!">{r.before}</td>
              <td className="mono follows wrap-anywhere whitespace-normal!">{r.after}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shown && <p className="pt-1 text-ink-2">and {rows.length - shown} more</p>}
    </>
  );
}
