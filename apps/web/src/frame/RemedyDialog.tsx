import type { Finding } from '@praesidor/core/checks';

import { api } from '../api/client.ts';
import { useSnapshot } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Dialog } from '../parts/Dialog.tsx';
import { Refused } from '../parts/Refused.tsx';
import { useAct } from '../state/act.ts';
import { useDrafts } from '../spaces/clusters/drafts.ts';
import { describe } from './describe.ts';

/** Shows exactly what a remedy will change, then makes it; it can be undone. */
export default function RemedyDialog({ finding, onClose }: { finding: Finding; onClose: () => void }) {
  const snapshot = useSnapshot();
  const drop = useDrafts((s) => s.drop);
  const edits = finding.remedy?.edits ?? [];
  const act = useAct(
    () => api<{ act: number }>('POST', '/api/edits', { edits, why: finding.remedy?.label ?? finding.title }),
    `${finding.remedy?.label}: done.`,
    [['estate'], ['charter'], ['files']],
  );
  const drafted = edits.some((e) => e.op === 'set' && e.kind === 'Charter' && useDrafts.getState().drafts[e.key]);
  return (
    <Dialog
      open
      onClose={onClose}
      title={finding.remedy?.label ?? ''}
      about={`${finding.code}: ${finding.title}`}
      acts={
        <>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            filled
            disabled={act.isPending}
            onClick={() =>
              act.mutate(undefined, {
                onSuccess: () => {
                  for (const e of edits) if (e.op === 'set' && e.kind === 'Charter') drop(e.key);
                  onClose();
                },
              })
            }
          >
            Make this change
          </Button>
        </>
      }
    >
      {drafted && (
        <p className="mb-2 text-ochre">This charter has edits of yours that are not saved; they are given up with this.</p>
      )}
      <table className="grid-table">
        <thead>
          <tr>
            <th>What</th>
            <th>Stands</th>
            <th>Will be</th>
          </tr>
        </thead>
        <tbody>
          {edits
            .flatMap((e) => describe(e, snapshot.data?.estate))
            .map((r) => (
              <tr key={r.what}>
                <td>{r.what}</td>
                <td className="mono whitespace-normal!">{r.before}</td>
                <td className="mono follows whitespace-normal!">{r.after}</td>
              </tr>
            ))}
        </tbody>
      </table>
      <Refused error={act.error} />
    </Dialog>
  );
}
