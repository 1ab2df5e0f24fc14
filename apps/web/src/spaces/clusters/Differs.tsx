import { type Edit, labelOfField } from '@praesidor/core/model';
import type { Departure } from '@praesidor/core/template';
import { Popover } from 'radix-ui';
import { valueText } from './templates.ts';

/** Where a cluster is otherwise than its template: the fields, and for each what both have and what can be done. */
export function Differs({
  charter,
  version,
  list,
  onPurpose,
  onEdits,
}: {
  charter: string;
  version: number;
  list: readonly Departure[];
  /** Fields that are meant so by now. */
  onPurpose: readonly string[];
  onEdits: (title: string, edits: Edit[]) => void;
}) {
  if (!list.length) return <span className="text-plum">↳ nothing</span>;
  const set = (path: (string | number)[], value: unknown): Edit => ({ op: 'set', kind: 'Charter', key: charter, path, value });
  const names = list.map((d) => labelOfField('Charter', d.path));
  const text = list.length > 3 ? `${names.slice(0, 2).join(', ')} and ${list.length - 2} more` : names.join(', ');
  return (
    <Popover.Root>
      <Popover.Trigger
        className="set max-w-full truncate text-left"
        aria-label={`Where ${charter} differs: ${text}`}
        onClick={(e) => e.stopPropagation()}
      >
        {text}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} className="z-50 w-[640px] border border-rule-2 bg-leaf px-3.5 py-2.5">
          <div className="pb-1 font-semibold">
            {charter} against version {version}
          </div>
          <table className="grid-table" aria-label={`Fields in which ${charter} differs`}>
            <thead>
              <tr>
                <th>Field</th>
                <th>Here</th>
                <th>Version {version}</th>
                <th> </th>
              </tr>
            </thead>
            <tbody>
              {list.map((d) => (
                <tr key={d.field}>
                  <td title={d.field}>{labelOfField('Charter', d.path)}</td>
                  <td className="mono">{valueText(d.after)}</td>
                  <td className="mono text-plum">{valueText(d.before)}</td>
                  <td className="whitespace-nowrap">
                    {d.onPurpose ? (
                      <button
                        type="button"
                        className="font-semibold text-verdigris hover:underline"
                        onClick={() =>
                          onEdits(`${labelOfField('Charter', d.path)} of ${charter} is not meant to differ`, [
                            set(
                              ['template', 'onPurpose'],
                              onPurpose.filter((f) => f !== d.field).length ? onPurpose.filter((f) => f !== d.field) : undefined,
                            ),
                          ])
                        }
                      >
                        Not on purpose
                      </button>
                    ) : (
                      <span className="flex gap-3">
                        <button
                          type="button"
                          className="font-semibold text-verdigris hover:underline"
                          onClick={() =>
                            onEdits(`Let ${labelOfField('Charter', d.path)} of ${charter} follow`, [set(d.path, d.before)])
                          }
                        >
                          Let it follow
                        </button>
                        <button
                          type="button"
                          className="font-semibold text-verdigris hover:underline"
                          onClick={() =>
                            onEdits(`${labelOfField('Charter', d.path)} of ${charter} differs on purpose`, [
                              set(['template', 'onPurpose'], [...onPurpose, d.field].sort()),
                            ])
                          }
                        >
                          On purpose
                        </button>
                      </span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
