import type { Edit } from '@praesidor/core/model';
import type { Loss, RehearsedRow } from '@praesidor/core/rehearse';
import { useQuery } from '@tanstack/react-query';
import { useSnapshot } from '../../api/queries.ts';
import { computerWith } from '../../workers/compute.ts';

/** One case as it is now, beside the same with a change of the charter. */
export function Compared({
  name,
  title,
  losses,
  edits,
  before,
}: {
  name: string;
  title: string;
  losses: Loss[];
  edits: Edit[];
  before: readonly RehearsedRow[];
}) {
  const snapshot = useSnapshot().data;
  const after = useQuery({
    queryKey: ['rehearse with', snapshot?.state, name, losses, edits],
    enabled: snapshot !== undefined,
    gcTime: 1000,
    queryFn: async () => (snapshot ? ((await (await computerWith(snapshot)).rehearseCase(name, losses, edits)) ?? []) : []),
  }).data;
  const key = (r: RehearsedRow) => `${r.title} ${r.about}`;
  const changed = new Map(after?.map((r) => [r.title, r]));
  const titles = new Set(before.map((r) => r.title));
  const lines = [
    ...before.map((r) => ({ key: key(r), title: r.title, about: r.about, now: r, changed: changed.get(r.title) })),
    ...(after ?? [])
      .filter((r) => !titles.has(r.title))
      .map((r) => ({ key: key(r), title: r.title, about: r.about, now: undefined, changed: r })),
  ];
  return (
    <table className="grid-table mb-3" aria-label="Now, and with the change">
      <thead>
        <tr>
          <th>{title} lost</th>
          <th>Now</th>
          <th>With the change</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((l) => {
          const other = after && l.now?.sum !== l.changed?.sum;
          return (
            <tr key={l.key}>
              <td>
                {l.title}
                <span className="block text-ink-2 text-sm">{l.about}</span>
              </td>
              <td className={l.now?.bad ? 'text-brick' : ''}>{l.now?.sum ?? 'not hit'}</td>
              <td className={`${other ? 'font-semibold' : 'text-ink-2'} ${other && l.changed?.bad ? 'text-brick' : ''}`}>
                {after ? (l.changed?.sum ?? 'not hit') : ''}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
