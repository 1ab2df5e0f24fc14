import type { Edit } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Call } from '../api/client.ts';
import { useSnapshot } from '../api/queries.ts';
import { FindingMarker } from '../parts/FindingMarker.tsx';
import { Button } from '../parts/Button.tsx';
import { Dialog } from '../parts/Dialog.tsx';
import { Refused } from '../parts/Refused.tsx';
import { useCall } from '../state/call.ts';
import { computer, computerWith } from '../workers/compute.ts';
import { describe, type Row } from './describe.ts';

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
  const text = JSON.stringify(edits);
  const preview = useQuery({
    queryKey: ['preview', text, snapshot.data?.revision],
    enabled: edits.length > 0 && snapshot.data !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => {
      const c = snapshot.data ? await computerWith(snapshot.data) : computer();
      return (await c.preview(JSON.parse(text) as Edit[])) ?? null;
    },
  });
  const act = useCall<{ act: number }>(
    () => send ?? { method: 'POST', path: '/api/edits', body: { edits, why, revision: snapshot.data?.revision } },
    done ?? `${why}: done.`,
    [['estate'], ['charter'], ['files']],
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
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            // Not before it is known what it does: what arrives late would also move the button under the pointer.
            disabled={act.isPending || !edits.length || blocked !== undefined || preview.isPending}
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
      {rows.length > 0 &&
        (folded ? (
          <details>
            <summary className="cursor-pointer py-1 text-ink-2">{counted(rows.length, 'change')} by field</summary>
            <Rows rows={rows} />
          </details>
        ) : (
          <Rows rows={rows} />
        ))}
      {preview.data && edits.length > 0 && (
        <div className="pt-3">
          <h3 className="text-md">What the checks would then find</h3>
          {!preview.data.added.length && !preview.data.removed.length && <p className="text-ink-2">Nothing else than now.</p>}
          {preview.data.added.slice(0, 8).map((f) => (
            <div key={f.id} className="flex gap-2 py-1">
              <FindingMarker severity={f.severity} number={1} />
              <span>
                <b>{f.title}</b> <span className="text-ink-2">{f.text}</span>
              </span>
            </div>
          ))}
          {preview.data.removed.length > 0 && (
            <p className="text-ink-2">
              No longer:{' '}
              {preview.data.removed
                .slice(0, 6)
                .map((f) => f.title)
                .join('; ')}
              .
            </p>
          )}
        </div>
      )}
      <Refused error={act.error ?? preview.error} />
    </Dialog>
  );
}

const shown = 40;
function Rows({ rows }: { rows: readonly Row[] }) {
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
