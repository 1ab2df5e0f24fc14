import { counted } from '@praesidor/core/words';
import type { Change } from '@praesidor/core/charter';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Refused } from '../../parts/Refused.tsx';

interface Props {
  name: string;
  changes: Change[];
  count: number;
  stops: number;
  busy: boolean;
  error: Error | null;
  onClose: () => void;
  onSave: () => void;
}

/** What saving would add, change and take away: shown before it is done. */
export function ConsequencesDialog({ name, changes, count, stops, busy, error, onClose, onSave }: Props) {
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Consequences for ${name}`}
      about={
        count
          ? `${counted(count, 'thing changes', 'things change')} with your edits`
          : 'Nothing that follows is touched: only the document changes.'
      }
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={busy} onClick={onSave}>
            Save and hold hosts
          </Button>
        </>
      }
    >
      {stops > 0 && <p className="mb-2 text-ink-2">{counted(stops, 'finding')} would still stop the build; saving is allowed.</p>}
      <table className="grid-table">
        <thead>
          <tr>
            <th>What</th>
            <th>Of</th>
            <th>Now</th>
            <th>After</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {changes.slice(0, 200).map((c) => (
            <tr key={`${c.what}${c.subject}${c.how}`}>
              <td className={c.how === 'removed' ? 'text-brick' : c.how === 'added' ? 'text-verdigris' : ''}>
                {c.what} {c.how}
              </td>
              <td>{c.subject}</td>
              <td className="max-w-[220px] truncate text-ink-2" title={c.before}>
                {c.before ?? '—'}
              </td>
              <td className="follows max-w-[260px] truncate" title={c.after}>
                {c.after ? `↳ ${c.after}` : '—'}
              </td>
              <td className="text-brick">{c.disruptive ?? ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Refused error={error} />
    </Dialog>
  );
}
