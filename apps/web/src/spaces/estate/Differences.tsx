import { counted } from '@praesidor/core/words';
import type { Difference } from '@praesidor/core/model';

const most = 200;
const tone = { new: 'text-verdigris', changed: 'text-ochre', same: 'text-ink-3' };

/** What documents would change, field by field: what stands, and what will. */
export function Differences({ list }: { list: readonly Difference[] }) {
  const shown = list.slice(0, most);
  if (!list.length) return null;
  return (
    <table className="grid-table mt-3" aria-label="What would change">
      <thead>
        <tr>
          <th className="w-[90px]">Would be</th>
          <th>Document</th>
          <th>Field</th>
          <th>Now</th>
          <th>After</th>
        </tr>
      </thead>
      <tbody>
        {shown.flatMap((d) =>
          (d.what === 'changed' ? d.fields : [undefined]).map((f, i) => (
            <tr key={`${d.kind} ${d.key} ${f?.name ?? ''}`}>
              <td className={tone[d.what]}>{i ? '' : d.what === 'same' ? 'unchanged' : d.what}</td>
              <td>{i ? '' : `${d.kind} ${d.key}`}</td>
              <td>{f?.name ?? (d.what === 'new' ? `${counted(d.fields.length, 'field')}` : '')}</td>
              <td className="mono max-w-[220px] truncate" title={f?.before}>
                {f?.before ?? ''}
              </td>
              <td className="mono max-w-[220px] truncate" title={f?.after}>
                {f?.after ?? (f ? '—' : '')}
              </td>
            </tr>
          )),
        )}
        {list.length > most && (
          <tr>
            <td colSpan={5} className="text-ink-2">
              and {list.length - most} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
