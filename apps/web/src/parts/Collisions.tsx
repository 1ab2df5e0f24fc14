import type { Collision } from '@praesidor/core/model';

const text = (v: unknown): string =>
  v === undefined
    ? 'not set'
    : Array.isArray(v)
      ? v.map(text).join(', ') || 'empty'
      : typeof v === 'object' && v
        ? JSON.stringify(v)
        : String(v);

/** Fields that two people set to different values: all three values, and a choice for each. */
export function Collisions({
  list,
  by,
  onDecide,
}: {
  list: readonly Collision[];
  /** Who set the other value, where it is known. */
  by?: string | undefined;
  onDecide: (c: Collision, whose: 'mine' | 'theirs') => void;
}) {
  const act = 'font-semibold text-verdigris hover:underline';
  return (
    <table className="grid-table" aria-label="Changed by two people">
      <thead>
        <tr>
          <th>Field</th>
          <th>When you began</th>
          <th>You</th>
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
              <button type="button" className={`mr-3 ${act}`} onClick={() => onDecide(c, 'mine')}>
                Keep yours
              </button>
              <button type="button" className={act} onClick={() => onDecide(c, 'theirs')}>
                Take {by ? `${by}’s` : 'theirs'}
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
