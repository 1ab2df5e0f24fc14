import type { Finding } from '@praesidor/core/checks';
import { useDrafts } from '../spaces/clusters/drafts.ts';
import EditsDialog from './EditsDialog.tsx';

/** Shows exactly what a remedy will change, then makes it; it can be undone. */
export default function RemedyDialog({ finding, onClose }: { finding: Finding; onClose: () => void }) {
  const drop = useDrafts((s) => s.drop);
  const edits = finding.remedy?.edits ?? [];
  const charters = edits.flatMap((e) => (e.op === 'set' && e.kind === 'Charter' ? [e.key] : []));
  const drafted = charters.some((key) => useDrafts.getState().drafts[key]);
  return (
    <EditsDialog
      title={finding.remedy?.label ?? ''}
      about={`${finding.code}: ${finding.title}`}
      edits={edits}
      why={finding.remedy?.label ?? finding.title}
      onDone={() => {
        for (const key of charters) drop(key);
      }}
      onClose={onClose}
    >
      {drafted && (
        <p className="mb-2 text-ochre">This charter has edits of yours that are not saved; they are given up with this.</p>
      )}
    </EditsDialog>
  );
}
