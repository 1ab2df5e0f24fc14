import type { Finding } from '@praesidor/core/checks';
import { useMe } from '../api/queries.ts';
import { useDrafts } from '../state/drafts.ts';
import EditsDialog from './EditsDialog.tsx';

/** Shows exactly what a remedy will change, then makes it; it can be undone. */
export default function RemedyDialog({ finding, onClose }: { finding: Finding; onClose: () => void }) {
  const login = useMe().data?.login;
  const edits = finding.remedy?.edits ?? [];
  const drafts = useDrafts((s) => s.fields);
  const setDraft = useDrafts((s) => s.setFields);
  /** Drafts of charters that this sets a field of: the field is the remedy's then, the rest stays a draft. */
  const touched = edits.flatMap((e) => {
    const key = e.op === 'set' && e.kind === 'Charter' ? `${login} Charter ${e.key}` : '';
    const draft = drafts[key];
    const path = e.op === 'set' ? e.path.join('.') : '';
    const changes = draft?.changes.filter((c) => !`${c.path.join('.')}.`.startsWith(`${path}.`));
    return draft && changes && changes.length < draft.changes.length
      ? [{ key, draft: changes.length ? { ...draft, changes } : undefined }]
      : [];
  });
  return (
    <EditsDialog
      title={finding.remedy?.label ?? ''}
      about={`${finding.code}: ${finding.title}`}
      edits={edits}
      why={finding.remedy?.label ?? finding.title}
      onDone={() => {
        for (const t of touched) setDraft(t.key, t.draft);
      }}
      onClose={onClose}
    >
      {touched.length > 0 && (
        <p className="mb-2 text-ochre">Your draft of this charter sets the same field; what this sets takes its place.</p>
      )}
    </EditsDialog>
  );
}
