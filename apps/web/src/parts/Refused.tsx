import { Link } from 'react-router';
import { ApiError } from '../api/client.ts';

/** What was refused, why, where, and what to do: next to where it happened. */
export function Refused({ error }: { error: Error | null | undefined }) {
  if (!error) return null;
  const e = error instanceof ApiError ? error : undefined;
  return (
    <div role="alert" className="my-2 border-brick border-l-[3px] bg-brick-tint px-3 py-2">
      <div className="font-semibold text-brick">{error.message}</div>
      {e?.places.slice(0, 5).map((p) => (
        <div key={`${p.path}${p.message}`} className="text-ink-2">
          {p.line ? `line ${p.line}, ` : ''}
          {p.path && <span className="mono">{p.path}</span>} {p.message}
        </div>
      ))}
      {e?.uses.map((u) => (
        <div key={`${u.by}${u.how}`} className="text-ink-2">
          {u.by} {u.how}.{' '}
          <Link to={u.act.path} className="text-verdigris hover:underline">
            {u.act.label}
          </Link>
        </div>
      ))}
      {e?.remedy && !e.uses.length && <div>{e.remedy}</div>}
    </div>
  );
}
