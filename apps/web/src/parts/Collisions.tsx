import type { Collision } from '@praesidor/core/model';

const text = (v: unknown): string =>
  v === undefined
    ? 'not set'
    : Array.isArray(v)
      ? v.map(text).join(', ') || 'empty'
      : typeof v === 'object' && v
        ? JSON.stringify(v)
        : String(v);

const keepMine = { You: 'Keep yours', Proposed: 'Keep the proposed value', There: 'Take the value from there' } as const;
const keepTheirs: Partial<Record<keyof typeof keepMine, string>> = {
  Proposed: 'Keep the present value',
  There: 'Keep the value here',
};

/** Fields that two people set to different values: all three values, and a choice for each. */
export function Collisions({
  list,
  by,
  mine = 'You',
  disabled = false,
  onDecide,
}: {
  list: readonly Collision[];
  /** Who set the other value, where it is known. */
  by?: string | undefined;
  /** Whose the value in the middle is. */
  mine?: 'You' | 'Proposed' | 'There';
  disabled?: boolean;
  onDecide: (c: Collision, whose: 'mine' | 'theirs') => void;
}) {
  const act = 'font-semibold text-verdigris hover:underline';
  return (
    <table className="grid-table" aria-label="Changed by two people">
      <thead>
        <tr>
          <th>Field</th>
          <th>{mine === 'You' ? 'When you began' : 'Before'}</th>
          <th>{mine}</th>
          <th>{by ?? 'Now'}</th>
          <th>
            <span className="sr-only">Acts</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {list.map((c) => (
          <tr key={c.path.join('.')}>
            <td className="mono">{c.path.join('.') || 'the document'}</td>
            <td className="mono whitespace-normal! text-ink-3">{text(c.before)}</td>
            <td className="mono whitespace-normal!">{text(c.mine)}</td>
            <td className="mono whitespace-normal!">{text(c.theirs)}</td>
            <td className="whitespace-nowrap text-right">
              <button type="button" disabled={disabled} className={`mr-3 ${act}`} onClick={() => onDecide(c, 'mine')}>
                {keepMine[mine]}
              </button>
              <button type="button" disabled={disabled} className={act} onClick={() => onDecide(c, 'theirs')}>
                {keepTheirs[mine] ?? `Take ${by ? `${by}’s` : 'theirs'}`}
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
