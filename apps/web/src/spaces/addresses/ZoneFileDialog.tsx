import { counted } from '@praesidor/core/words';
import type { Edit, Zone } from '@praesidor/core/model';
import { useMutation } from '@tanstack/react-query';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { computer } from '../../workers/compute.ts';
import { useCall } from '../../state/call.ts';

const tone = { stop: 'text-brick', mind: 'text-ochre', note: 'text-slate' };

/** A master file from elsewhere: what is wrong with it, and what of it the plan has not; it can be taken in by name. */
export function ZoneFileDialog({ zone, onClose }: { zone: Zone; onClose: () => void }) {
  const check = useMutation({ mutationFn: (text: string) => computer().judge(zone.name, text) });
  const take = useCall<{ act: number }, Edit[]>(
    (edits: Edit[]) => ({ method: 'POST', path: '/api/edits', body: { edits, why: `records of ${zone.name} from a file` } }),
    (_, edits) => `${counted(edits.length, 'record')} added to the plan.`,
  );
  const j = check.data;
  const edits = (j?.unknown ?? []).map(
    ({ line: _, ...r }): Edit => ({
      op: 'put',
      doc: { apiVersion: 'praesidor/v1', kind: 'Record', zone: zone.name, ...r } as never,
    }),
  );
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Check a zone file of ${zone.name}`}
      about="A master file (RFC 1035). Nothing is changed by looking at it."
      acts={
        <>
          <Button onClick={onClose}>Close</Button>
          <Button filled disabled={!edits.length || take.isPending} onClick={() => take.mutate(edits, { onSuccess: onClose })}>
            {edits.length ? `Add ${counted(edits.length, 'record')} to the plan` : 'Nothing to add'}
          </Button>
        </>
      }
      same={() => take.call(edits)}
    >
      <FilePicker onText={check.mutate} />
      {j && (
        <>
          <p className="py-2">
            {j.records.toLocaleString('en')} records read ·{' '}
            {j.count ? <b>{j.count.toLocaleString('en')} found</b> : 'nothing found'} · {j.unknownCount.toLocaleString('en')} that
            the plan has not
          </p>
          {j.problems.length > 0 && (
            <table className="grid-table" aria-label="What is wrong">
              <thead>
                <tr>
                  <th>Line</th>
                  <th>Column</th>
                  <th>
                    <span className="sr-only">Acts</span>
                  </th>
                  <th>What</th>
                </tr>
              </thead>
              <tbody>
                {j.problems.slice(0, 200).map((p, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: two problems of one place may read alike
                  <tr key={i}>
                    <td>{p.line}</td>
                    <td>{p.column}</td>
                    <td className={tone[p.severity]}>{p.severity}</td>
                    <td className="whitespace-normal">{p.message}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </>
      )}
      <Refused error={check.error ?? take.error} />
    </Dialog>
  );
}
