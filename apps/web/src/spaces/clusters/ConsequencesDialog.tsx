import { counted } from '@praesidor/core/words';
import { type Change, type FieldComes, ways } from '@praesidor/core/charter';
import { editsAskedBy } from '@praesidor/core/access';
import { type Charter, type Edit, labelOfField } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { Call } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import ProposeDialog from '../../frame/ProposeDialog.tsx';
import { AsksTwo } from '../../parts/AsksTwo.tsx';
import { computer } from '../../workers/compute.ts';
import { FileChanges } from './DiffLines.tsx';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Refused } from '../../parts/Refused.tsx';

interface Props {
  draft: Charter;
  name: string;
  changes: Change[];
  /** How each changed field reaches a cluster that stands; none of one that is not built yet. */
  comes: FieldComes[];
  count: number;
  stops: number;
  busy: boolean;
  error: Error | null;
  onClose: () => void;
  /** What is sent of the charter: its fields, or its text; not known yet while that is made. */
  written: object | undefined;
  call: (written: object) => Call;
  onSave: (written: object) => void;
  /** The charter as it was when the draft was begun. */
  base: Charter | undefined;
  /** Kept as a proposal instead. */
  onProposed: () => void;
}

/** What saving would add, change and take away: shown before it is done. */
const some = (list: readonly string[]) =>
  `${list.slice(0, 8).join(', ')}${list.length > 8 ? ` and ${list.length - 8} more` : ''}`;

export function ConsequencesDialog({
  draft,
  name,
  changes,
  comes,
  count,
  stops,
  busy,
  error,
  written,
  call,
  onClose,
  onSave,
  base,
  onProposed,
}: Props) {
  const estate = useSnapshot().data?.estate;
  const edits = useMemo((): Edit[] => [{ op: 'put', doc: draft }], [draft]);
  const asks = useMemo(() => (estate ? editsAskedBy(estate, edits) : undefined), [estate, edits]);
  const [proposing, setProposing] = useState(false);
  const files = useQuery({
    queryKey: ['draft files', JSON.stringify(draft)],
    gcTime: 1000,
    queryFn: async () => (await computer().files(draft)) ?? null,
  });
  if (proposing)
    return (
      <ProposeDialog
        title={`Change ${name}`}
        what={{ edits, ...(base ? { base: [base] } : {}) }}
        onDone={onProposed}
        onClose={() => setProposing(false)}
      />
    );
  const impossible = comes.filter((c) => c.way === 'impossible').length;
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      same={written && (() => call(written))}
      title={`Consequences for ${name}`}
      about={[
        count
          ? `${counted(count, 'thing changes', 'things change')} with your edits.`
          : 'Nothing that follows is touched: only the document changes.',
        impossible
          ? `${counted(impossible, 'field')} cannot be changed in the cluster that stands; saved, the charter says something else than it.`
          : '',
      ].join(' ')}
      acts={
        <>
          <Button filled={asks !== undefined} className={asks ? 'order-last' : ''} onClick={() => setProposing(true)}>
            Propose…
          </Button>
          <Button onClick={onClose}>Cancel</Button>
          {/* Not before it is known what it does: what arrives late would also move the button under the pointer. */}
          <Button
            filled={!asks}
            disabled={busy || files.isPending || !written || asks !== undefined}
            onClick={() => written && onSave(written)}
          >
            Save and hold hosts
          </Button>
        </>
      }
    >
      {asks && <AsksTwo who={asks} />}
      {stops > 0 && <p className="mb-2 text-ink-2">{counted(stops, 'finding')} would still stop the build; saving is allowed.</p>}
      {comes.length > 0 && (
        <section aria-label="How it comes about" className="mb-4">
          <h3 className="pb-1 font-semibold">How it comes about in the cluster that stands</h3>
          <table className="grid-table">
            <thead>
              <tr>
                <th>Field</th>
                <th>How</th>
                <th>Why</th>
              </tr>
            </thead>
            <tbody>
              {comes.map((c) => (
                <tr key={c.path}>
                  <td title={c.path}>{labelOfField('Charter', c.path.split('.'))}</td>
                  <td
                    className={c.way === 'impossible' || c.way === 'made anew' ? 'font-semibold text-brick' : ''}
                    title={ways[c.way]}
                  >
                    {c.way}
                  </td>
                  <td className="whitespace-normal! text-ink-2">{c.why}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {changes.length > 0 && (
        <table className="grid-table">
          <thead>
            <tr>
              <th>What</th>
              <th>Of</th>
              <th>Now</th>
              <th>After</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {changes.slice(0, 200).map((c) => (
              <tr key={`${c.what}${c.subject}${c.how}`}>
                <td className={c.how === 'removed' ? 'text-brick' : c.how === 'added' ? 'text-verdigris' : ''}>
                  {c.what} {c.how}
                </td>
                <td>{c.subject}</td>
                <td className="max-w-[220px] truncate text-ink-2" title={c.before}>
                  {c.before ?? '—'}
                </td>
                <td className="follows max-w-[260px] truncate" title={c.after}>
                  {c.after ? `↳ ${c.after}` : '—'}
                </td>
                <td className="text-brick">{c.disruptive ?? ''}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <section aria-label="Files" className="mt-4">
        <h3 className="pb-1 font-semibold">
          {files.error
            ? 'Files cannot be written'
            : !files.data
              ? 'Files: being written…'
              : files.data.changes.length
                ? counted(files.data.changes.length, 'file changes', 'files change')
                : 'No file changes'}
        </h3>
        <Refused error={files.error} />
        {files.data && <FileChanges list={files.data.changes} />}
      </section>
      {files.data && (files.data.steps.added.length > 0 || files.data.steps.removed.length > 0) && (
        <section aria-label="Steps" className="mt-4">
          <h3 className="pb-1 font-semibold">
            A build has {counted(files.data.steps.after, 'step')}
            {files.data.steps.before ? `, ${files.data.steps.before} as it is saved` : ''}
          </h3>
          <p className="text-ink-2">
            {[
              files.data.steps.added.length && `added: ${some(files.data.steps.added)}`,
              files.data.steps.removed.length && `gone: ${some(files.data.steps.removed)}`,
            ]
              .filter(Boolean)
              .join('; ')}
          </p>
        </section>
      )}
      <Refused error={error} />
    </Dialog>
  );
}
