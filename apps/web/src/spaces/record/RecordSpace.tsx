import { useActs } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { clockSeconds, day, utc } from '../../parts/time.ts';
import { useUndo } from '../../state/act.ts';

/** Who did what, newest first. */
export function RecordSpace() {
  const acts = useActs();
  const undo = useUndo();
  return (
    <Space space="record" title="Record" facts="who did what, newest first" findings={[]}>
      <table className="grid-table mt-2">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>Did</th>
            <th>To what</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {acts.data?.map((a) => (
            <tr key={a.id} data-row tabIndex={-1}>
              <td className="mono" title={utc(a.at)}>
                {day(a.at)} {clockSeconds(a.at)}
              </td>
              <td>{a.who}</td>
              <td>{a.act}</td>
              <td className="max-w-[420px] truncate" title={a.subject}>
                {a.subject}
              </td>
              <td className="text-right">
                {a.canUndo && (
                  <button
                    type="button"
                    className="font-semibold text-verdigris"
                    disabled={undo.isPending}
                    onClick={() => undo.mutate(a.id)}
                  >
                    Undo
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Space>
  );
}
