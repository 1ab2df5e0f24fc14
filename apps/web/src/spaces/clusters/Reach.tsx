import { counted } from '@praesidor/core/words';
import { labelOfField } from '@praesidor/core/model';
import type { reachOf } from '@praesidor/core/template';
import { valueText } from './templates.ts';

/** What one version of a template changes against another: field by field, which clusters it reaches, and how that comes about. */
export function Reach({ reach, before, after }: { reach: ReturnType<typeof reachOf>; before: number; after: number }) {
  if (!reach.fields.length && !reach.fail.length) return <p className="text-ink-2">Nothing that a cluster would notice.</p>;
  return (
    <>
      <table className="grid-table mt-1" aria-label={`What version ${after} changes against ${before}`}>
        <thead>
          <tr>
            <th>Field</th>
            <th>{before}</th>
            <th>{after}</th>
            <th>Reaches</th>
            <th>How</th>
          </tr>
        </thead>
        <tbody>
          {reach.fields.map((f) => {
            const ways = [...new Set(f.reaches.map((r) => r.way))];
            const names = f.reaches.map((r) => r.charter);
            return (
              <tr key={f.field}>
                <td title={f.field}>{labelOfField('Charter', f.field.split('.'))}</td>
                <td className="mono max-w-[160px] truncate" title={valueText(f.before)}>
                  {valueText(f.before)}
                </td>
                <td className="mono max-w-[160px] truncate" title={valueText(f.after)}>
                  {valueText(f.after)}
                </td>
                <td title={names.join(', ')}>
                  {!names.length ? 'no cluster' : names.length <= 3 ? names.join(', ') : counted(names.length, 'cluster')}
                  {f.apart.length > 0 && <span className="text-ink-3">; {f.apart.join(', ')} stands apart</span>}
                </td>
                <td title={f.reaches[0]?.why}>{ways.join(', ')}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {reach.fail.map((f) => (
        <p key={f.charter} className="text-brick">
          {f.charter} cannot be brought to it: {f.message}
        </p>
      ))}
    </>
  );
}
