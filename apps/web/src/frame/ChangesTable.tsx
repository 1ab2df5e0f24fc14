import type { ProposedChange } from '@praesidor/contract';
import { Fragment, type ReactNode } from 'react';
import { describeChange } from './describe.ts';

const most = 200;
/** Documents with what becomes of each, field by field; those with an act have it in the last column. */
export function ChangesTable({
  list,
  before,
  after,
  act,
}: {
  list: readonly ProposedChange[];
  /** Heads of the two columns of values. */
  before: string;
  after: string;
  act?: ((c: ProposedChange) => ReactNode) | undefined;
}) {
  return (
    <table className="grid-table mt-1" aria-label="Changes">
      <thead>
        <tr>
          <th>What</th>
          <th>{before}</th>
          <th>{after}</th>
          <th>
            <span className="sr-only">Acts</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {list.slice(0, most).map((c) => (
          <Fragment key={`${c.kind} ${c.key}`}>
            {describeChange(c).map((r, n) => (
              <tr key={r.what} data-row={n === 0 || undefined} tabIndex={-1}>
                <td className="wrap-anywhere whitespace-normal!">{r.what}</td>
                <td className="mono wrap-anywhere whitespace-normal!">{r.before}</td>
                <td className={`mono wrap-anywhere whitespace-normal! ${c.what === 'removed' ? 'text-brick' : ''}`}>{r.after}</td>
                <td className="text-right">{n === 0 && act?.(c)}</td>
              </tr>
            ))}
          </Fragment>
        ))}
        {list.length > most && (
          <tr>
            <td colSpan={4} className="text-ink-2">
              and {list.length - most} more documents
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
