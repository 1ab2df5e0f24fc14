import {
  type Estate,
  editText,
  type Kind,
  kinds,
  kindWords,
  type RawDocument,
  rawDocuments,
  withRaw,
} from '@praesidor/core/model';
import { memo, useCallback, useMemo, useRef, useState } from 'react';
import { DocumentForm, type FieldPath } from '../../parts/form/DocumentForm.tsx';

/** Documents that are open at first; a pasted estate has thousands. */
const most = 6;
const isKind = (kind: unknown): kind is Kind => typeof kind === 'string' && Object.hasOwn(kinds, kind);

/** Every document of a text as a form, in its order. What is set in one is in the text at once, with what follows from it. */
export const DocumentForms = memo(function DocumentForms({
  text,
  estate,
  onText,
}: {
  text: string;
  estate: Estate;
  /** Given the text as it is by then: two fields can be set before it is drawn again. */
  onText: (next: (now: string) => string) => void;
}) {
  const docs = useStable(useMemo(() => rawDocuments(text), [text]));
  // What a document shows of the others are their names and what follows from them: a title that is typed redraws nobody else.
  const others = JSON.stringify(
    docs?.map((d) => [d.kind, d.name, d.site, d.domain, d.resolvers, d.prefix, d.purpose, d.endpoint]),
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  const around = useMemo(() => (docs ? withRaw(estate, docs) : estate), [others, estate]);
  const [open, setOpen] = useState<number[]>();
  if (!docs) return <p className="text-ink-2">The text cannot be read yet: mend it there, and the form is here again.</p>;
  const isOpen = (i: number) => (open ? open.includes(i) : docs.length <= most || i === 0);
  return (
    <div className="pr-1">
      {docs.slice(0, 200).map((raw, i) => (
        // Names change while they are typed: the place in the text is what stays.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <section key={i} aria-label={`${raw.kind} ${raw.name ?? ''}`} className="border-rule-2 border-b pb-2.5">
          <h2 className="pt-2.5 pb-0.5 text-lg">
            <button
              type="button"
              aria-expanded={isOpen(i)}
              className="flex w-full items-baseline gap-2 text-left"
              onClick={() => {
                const now = docs.map((_, k) => k).filter(isOpen);
                setOpen(isOpen(i) ? now.filter((k) => k !== i) : [...now, i]);
              }}
            >
              {typeof raw.kind === 'string' ? raw.kind : 'Document'}
              <span className="min-w-0 truncate font-sans text-ink-2 text-sm">{headline(raw)}</span>
            </button>
          </h2>
          {isOpen(i) &&
            (isKind(raw.kind) ? (
              <One kind={raw.kind} raw={raw} index={i} estate={around} onText={onText} plan={estate} />
            ) : (
              <p className="text-ink-2">Its kind is not known; the text says which there are.</p>
            ))}
        </section>
      ))}
      {docs.length > 200 && <p className="pt-2 text-ink-2">and {docs.length - 200} more, in the text</p>}
    </div>
  );
});

/** The same object for a document that is as it was, so that it is not drawn again. */
function useStable(docs: RawDocument[] | undefined): RawDocument[] | undefined {
  const kept = useRef<{ text: string; doc: RawDocument }[]>([]);
  return useMemo(() => {
    if (!docs) return undefined;
    kept.current = docs.map((doc, i) => {
      const text = JSON.stringify(doc);
      const before = kept.current[i];
      return before?.text === text ? before : { text, doc };
    });
    return kept.current.map((k) => k.doc);
  }, [docs]);
}

const One = memo(function One({
  kind,
  raw,
  index,
  estate,
  plan,
  onText,
}: {
  kind: Kind;
  raw: RawDocument;
  index: number;
  estate: Estate;
  plan: Estate;
  onText: (next: (now: string) => string) => void;
}) {
  const set = useCallback(
    (path: FieldPath, value: unknown) => onText((now) => editText(now, plan, index, path, value)),
    [onText, plan, index],
  );
  return <DocumentForm kind={kind} raw={raw} estate={estate} onSet={set} />;
});

function headline(raw: RawDocument): string {
  const name = typeof raw.name === 'string' ? raw.name : '';
  const said = [name, typeof raw.purpose === 'string' && raw.kind === 'Network' ? raw.purpose : ''].filter(Boolean).join(', ');
  return said || (isKind(raw.kind) ? kindWords[raw.kind] : '');
}
