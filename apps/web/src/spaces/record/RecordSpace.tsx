import { useActs } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { When } from '../../parts/When.tsx';
import { useUndo } from '../../state/act.ts';
import { useMay } from '../../state/may.ts';
import { Button } from '../../parts/Button.tsx';
import { PeopleNav } from './PeopleNav.tsx';

/** Who did what, newest first. */
export function RecordSpace() {
  const acts = useActs();
  const undo = useUndo();
  const leave = useMay();
  const list = acts.data?.pages.flat() ?? [];
  return (
    <Space
      space="record"
      title="Record"
      facts="who did what, newest first"
      sheets={<PeopleNav />}
      findings={[]}
      acts={
        <a className="font-semibold text-verdigris hover:underline" href="/api/acts/export" download="record.jsonl">
          Export as JSON lines
        </a>
      }
    >
      <table className="grid-table mt-2">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>Did</th>
            <th>To what</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.map((a) => (
            <tr key={a.id} data-row tabIndex={-1}>
              <td className="mono">
                <When at={a.at} as="exact" />
              </td>
              <td title={a.address ? `from ${a.address}` : undefined}>
                {a.who}
                {a.token && <span className="text-ink-2">, token {a.token}</span>}
              </td>
              <td>{a.act}</td>
              <td className="max-w-[420px] truncate" title={a.subject}>
                {a.subject}
              </td>
              <td className="text-right">
                {a.canUndo && leave.may('plan.undo') && (
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
      {acts.hasNextPage && (
        <div className="py-3 text-center">
          <Button disabled={acts.isFetchingNextPage} onClick={() => void acts.fetchNextPage()}>
            Show earlier acts
          </Button>
        </div>
      )}
    </Space>
  );
}
