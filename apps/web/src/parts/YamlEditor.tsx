import { closeBrackets, closeBracketsKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
import { type Diagnostic, lintGutter, lintKeymap, setDiagnostics } from '@codemirror/lint';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import { type Extension, Transaction } from '@codemirror/state';
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  highlightSpecialChars,
  keymap,
  lineNumbers,
} from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { Estate, Fault } from '@praesidor/core/model';
import { useEffect, useLayoutEffect, useRef, useState } from 'react';
import { Echoes } from './echoes.ts';
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

/** What every editor of text here can do; the same object each time, so that the editor is set up once. */
const abilities: Extension = [
  lineNumbers(),
  highlightActiveLineGutter(),
  highlightSpecialChars(),
  history(),
  drawSelection(),
  indentOnInput(),
  bracketMatching(),
  closeBrackets(),
  highlightActiveLine(),
  highlightSelectionMatches(),
  keymap.of([...closeBracketsKeymap, ...defaultKeymap, ...searchKeymap, ...historyKeymap, ...lintKeymap]),
  yaml(),
  look,
  ink,
  lintGutter(),
  EditorView.lineWrapping,
];

/** What scrolls an element up and down. */
function scrollerOf(e: Element): Element | undefined {
  for (let up = e.parentElement; up; up = up.parentElement) if (/auto|scroll/.test(getComputedStyle(up).overflowY)) return up;
  return undefined;
}

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
  const place = useRef<HTMLDivElement>(null);
  // What the editor asks for is asked when it is needed: it is made once, and what it shows is not made anew.
  const now = useRef({ text, estate, onChange });
  now.current = { text, estate, onChange };
  const echoes = useRef(new Echoes(text));
  useEffect(() => {
    const made = new EditorView({
      doc: now.current.text,
      parent: place.current as HTMLDivElement,
      extensions: [
        abilities,
        yamlHelp(() => now.current.estate),
        EditorView.contentAttributes.of({ 'aria-label': label }),
        EditorView.updateListener.of((u) => {
          if (!u.docChanged || u.transactions.every((t) => t.annotation(Transaction.remote))) return;
          const typed = u.state.doc.toString();
          echoes.current.sent(typed);
          now.current.onChange(typed);
        }),
      ],
    });
    setView(made);
    return () => made.destroy();
  }, [label]);
  useEffect(() => {
    if (!view || !echoes.current.news(text)) return;
    // Only what differs is replaced, so that the caret stays where it is.
    const old = view.state.doc.toString();
    let from = 0;
    while (from < Math.min(old.length, text.length) && old[from] === text[from]) from++;
    let back = 0;
    const most = Math.min(old.length, text.length) - from;
    while (back < most && old[old.length - 1 - back] === text[text.length - 1 - back]) back++;
    view.dispatch({
      changes: { from, to: old.length - back, insert: text.slice(from, text.length - back) },
      annotations: Transaction.remote.of(true),
    });
  }, [view, text]);
  // What comes to stand above the text while somebody types (a fault, the word that there is a draft) would push the line
  // away under the eye, and what is offered there with it: the page goes along.
  const stood = useRef<number>(undefined);
  useLayoutEffect(() => {
    const scroller = view && scrollerOf(view.dom);
    if (!scroller) return;
    const stands = view.dom.getBoundingClientRect().top + scroller.scrollTop;
    if (view.hasFocus && stood.current !== undefined) scroller.scrollTop += stands - stood.current;
    stood.current = stands;
  });
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
      <div ref={place} />
    </>
  );
}
