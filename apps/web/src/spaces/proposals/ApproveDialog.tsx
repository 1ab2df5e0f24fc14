import type { WaitingRun } from '@praesidor/contract';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

/** Work that somebody else began, and that begins when it is approved. */
export function ApproveDialog({
  run,
  onClose,
}: {
  run: Pick<WaitingRun, 'id' | 'title' | 'by' | 'steps' | 'site'>;
  onClose: () => void;
}) {
  const approve = useCall<object>(() => ({ method: 'POST', path: `/api/approvals/${run.id}` }), `${run.title}: approved.`, [
    ['approvals'],
    ['build'],
    ['builds'],
  ]);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Approve: ${run.title}`}
      about={`${run.by} began it at ${run.site}. It is carried out as it is now, in ${run.steps} steps, from the moment that you approve it.`}
      same={approve.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={approve.isPending} onClick={() => approve.mutate(undefined, { onSuccess: onClose })}>
            Approve
          </Button>
        </>
      }
    >
      <p className="text-ink-2">The record names both: who began it, and you.</p>
      <Refused error={approve.error} />
    </Dialog>
  );
}
