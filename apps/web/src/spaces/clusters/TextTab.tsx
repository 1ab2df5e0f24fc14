import { yaml } from '@codemirror/lang-yaml';
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import type { Finding } from '@praesidor/core/checks';
import type { Charter, Fault } from '@praesidor/core/model';
import CodeMirror from '@uiw/react-codemirror';
import { useEffect, useRef, useState } from 'react';
import { useView } from '../../state/view.ts';
import { computer } from '../../workers/compute.ts';

const look = EditorView.theme({
  '&': { fontSize: '12.5px', backgroundColor: 'var(--leaf)', color: 'var(--ink)' },
  '.cm-content, .cm-gutters': { fontFamily: 'var(--font-mono)' },
  '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--ink-3)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--sunk)' },
  '&.cm-focused': { outline: '2px solid var(--verdigris)' },
});

/** The same document as text. What can be read becomes the draft at once; what cannot is marked at its place. */
export default function TextTab({
  doc,
  findings,
  onEdit,
}: {
  doc: Charter;
  findings: readonly Finding[];
  onEdit: (c: Charter) => void;
}) {
  const [text, setText] = useState<string>();
  const [faults, setFaults] = useState<Fault[]>([]);
  const [view, setView] = useState<EditorView>();
  const mine = useRef('');
  const theme = useView((s) => s.theme);
  const night = theme === 'night' || document.documentElement.dataset.theme === 'night';
  useEffect(() => {
    const key = JSON.stringify(doc);
    if (mine.current === key) return;
    mine.current = key;
    void computer().write(doc).then(setText);
  }, [doc]);
  const onChange = (next: string) => {
    setText(next);
    void computer()
      .read(next)
      .then(({ faults: found, doc: read }) => {
        setFaults(found);
        if (read) {
          mine.current = JSON.stringify(read);
          onEdit(read);
        }
      });
  };
  useEffect(() => {
    if (!view || text === undefined) return;
    const line = (n: number) => view.state.doc.line(Math.min(Math.max(1, n), view.state.doc.lines));
    const lineOf = (path: string) => {
      const key = path.split('.')[0] ?? '';
      const i = text.split('\n').findIndex((l) => l.startsWith(`${key}:`));
      return i < 0 ? 1 : i + 1;
    };
    const marks: Diagnostic[] = faults.length
      ? faults.map((f) => {
          const l = line(f.line);
          return { from: Math.min(l.from + f.column - 1, l.to), to: l.to, severity: 'error', message: f.message };
        })
      : findings
          .filter((f) => f.subject.kind === 'Charter' && f.subject.name === doc.name)
          .map((f) => {
            const l = line(lineOf(f.path.join('.')));
            return {
              from: l.from,
              to: l.to,
              severity: f.severity === 'stop' ? 'error' : f.severity === 'mind' ? 'warning' : 'info',
              message: `${f.code} ${f.title}. ${f.text}`,
            };
          });
    view.dispatch(setDiagnostics(view.state, marks));
  }, [view, text, faults, findings, doc.name]);
  if (text === undefined) return null;
  return (
    <div className="pt-3">
      {faults.length > 0 && (
        <div role="alert" className="mb-2 border-brick border-l-[3px] bg-brick-tint px-3 py-1.5">
          {faults.slice(0, 4).map((f) => (
            <div key={`${f.line}${f.message}`}>
              <b className="text-brick">
                line {f.line}, column {f.column}
              </b>{' '}
              {f.path && <span className="mono">{f.path}</span>} {f.message}
            </div>
          ))}
        </div>
      )}
      <CodeMirror
        onCreateEditor={setView}
        value={text}
        onChange={onChange}
        extensions={[yaml(), look, lintGutter(), EditorView.contentAttributes.of({ 'aria-label': 'Charter as text' })]}
        theme={night ? 'dark' : 'light'}
        basicSetup={{ foldGutter: false }}
      />
    </div>
  );
}
