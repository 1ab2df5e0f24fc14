import type { Charter } from '@praesidor/core/model';
import type { CharterDto } from '../../api/queries.ts';
import { When } from '../../parts/When.tsx';

/** Every revision; an older one can be taken up again as a draft. */
export default function HistoryTab({
  name,
  revisions,
  onTake,
}: {
  name: string;
  revisions: CharterDto['revisions'];
  onTake: (c: Charter) => void;
}) {
  return (
    <table className="grid-table mt-2" aria-label={`Revisions of ${name}`}>
      <thead>
        <tr>
          <th>Revision</th>
          <th>When</th>
          <th>Who</th>
          <th>What changed</th>
          <th>
            <span className="sr-only">Acts</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {revisions.map((r, i) => {
          const before = revisions[i + 1]?.doc;
          const changed = before
            ? Object.keys({ ...before, ...r.doc }).filter(
                (k) => JSON.stringify((before as never)[k]) !== JSON.stringify((r.doc as never)[k]),
              )
            : [];
          return (
            <tr key={r.revision}>
              <td>{r.revision}</td>
              <td className="mono">
                <When at={r.at} as="both" />
              </td>
              <td>{r.by}</td>
              <td>{r.note || (before ? changed.join(', ') || 'nothing' : 'first')}</td>
              <td className="text-right">
                {i > 0 && (
                  <button type="button" className="font-semibold text-verdigris" onClick={() => onTake(r.doc)}>
                    Restore
                  </button>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
