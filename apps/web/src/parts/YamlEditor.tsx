import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { Estate, Fault } from '@praesidor/core/model';
import CodeMirror from '@uiw/react-codemirror';
import { useEffect, useMemo, useRef, useState } from 'react';
import { yamlHelp } from './yaml-help.ts';

const look = EditorView.theme({
  '&': { fontSize: '12.5px', backgroundColor: 'var(--leaf)', color: 'var(--ink)' },
  '.cm-content, .cm-gutters': { fontFamily: 'var(--font-mono)' },
  '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--ink-3)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--sunk)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { backgroundColor: 'var(--verdigris-tint) !important' },
  '.cm-tooltip': { backgroundColor: 'var(--paper)', color: 'var(--ink)', border: '1px solid var(--rule-2)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--verdigris)', color: 'var(--on-fill)' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li': { padding: '3px 10px' },
  '.cm-completionMatchedText': { textDecoration: 'none', fontWeight: '600' },
  '.cm-completionDetail': { fontFamily: 'var(--font-sans)', fontStyle: 'normal', opacity: '0.8' },
  '&.cm-focused': { outline: '2px solid var(--verdigris)' },
  // The marks are the bastions of the margin: their shape tells before their colour does.
  '.cm-lint-marker': {
    width: '10px',
    height: '11px',
    marginTop: '4px',
    clipPath: 'polygon(50% 0, 100% 25%, 100% 100%, 0 100%, 0 25%)',
  },
  '.cm-lint-marker-error': { content: 'none', backgroundColor: 'var(--brick)' },
  '.cm-lint-marker-warning': { content: 'none', backgroundColor: 'var(--ochre)' },
  '.cm-lint-marker-info': { content: 'none', backgroundColor: 'var(--slate)' },
});
const ink = syntaxHighlighting(
  HighlightStyle.define([
    { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--ink-2)', fontWeight: '600' },
    { tag: tags.comment, color: 'var(--ink-3)', fontStyle: 'italic' },
    { tag: [tags.string, tags.content, tags.literal, tags.keyword], color: 'var(--ink)' },
    { tag: [tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--ink-3)' },
    { tag: tags.meta, color: 'var(--ink-3)' },
  ]),
);

/** What is marked at a line: a fault of the text, or a finding about what it declares. */
export interface LineMark {
  line: number;
  column?: number;
  severity: Diagnostic['severity'];
  message: string;
}

/** Text of documents, with what is wrong marked at its line, and the faults said above it. */
export default function YamlEditor({
  label,
  text,
  faults,
  marks,
  estate,
  onChange,
}: {
  label: string;
  text: string;
  faults: readonly Fault[];
  marks: readonly LineMark[];
  /** What names in the text can refer to. */
  estate?: Estate | undefined;
  onChange: (text: string) => void;
}) {
  const [view, setView] = useState<EditorView>();
  const standing = useRef(estate);
  standing.current = estate;
  const help = useMemo(() => yamlHelp(() => standing.current), []);
  useEffect(() => {
    if (!view) return;
    const { doc } = view.state;
    const all = faults.length ? faults.map((f): LineMark => ({ ...f, severity: 'error' })) : marks;
    const placed = all.map(({ line, column = 1, severity, message }): Diagnostic => {
      const l = doc.line(Math.min(Math.max(1, line), doc.lines));
      return { from: Math.min(l.from + column - 1, l.to), to: l.to, severity, message };
    });
    view.dispatch(setDiagnostics(view.state, placed));
  }, [view, faults, marks]);
  return (
    <>
      {faults.length > 0 && (
        <div role="alert" className="mb-2 border-brick border-l-[3px] bg-brick-tint px-3 py-1.5">
          {faults.slice(0, 4).map((f) => (
            <div key={`${f.line}${f.path}${f.message}`}>
              <b className="text-brick">
                line {f.line}, column {f.column}
              </b>{' '}
              {f.path && <span className="mono">{f.path}</span>} {f.message}
            </div>
          ))}
          {faults.length > 4 && <div className="text-ink-2">and {faults.length - 4} more, marked at their lines</div>}
        </div>
      )}
      <CodeMirror
        onCreateEditor={setView}
        value={text}
        onChange={onChange}
        extensions={[
          yaml(),
          look,
          ink,
          lintGutter(),
          help,
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label }),
        ]}
        theme="none"
        basicSetup={{ foldGutter: false, autocompletion: false }}
      />
    </>
  );
}
