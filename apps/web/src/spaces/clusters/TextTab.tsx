import type { Finding } from '@praesidor/core/checks';
import { type Charter, type Estate, type Fault, same } from '@praesidor/core/model';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Echoes } from '../../parts/echoes.ts';
import { lineOf } from '../../parts/lines.ts';
import YamlEditor, { type LineMark } from '../../parts/YamlEditor.tsx';
import { computer } from '../../workers/compute.ts';

const severities = { stop: 'error', mind: 'warning', note: 'info' } as const;

/** The same document as text. What can be read becomes the draft at once; what cannot is marked at its place. */
export default function TextTab({
  doc,
  written,
  findings,
  estate,
  onEdit,
}: {
  doc: Charter;
  /** As somebody wrote it, comments and all; it may say less than the document by now. */
  written: string;
  findings: readonly Finding[];
  estate: Estate;
  onEdit: (c: Charter, written: { text: string; unread?: boolean }) => void;
}) {
  const [text, setText] = useState<string>();
  const [faults, setFaults] = useState<Fault[]>([]);
  // What was typed here comes back as a document and its text; what did not come from here is put into the editor.
  const echoes = useRef(
    new Echoes<{ written: string; doc?: Charter }>({ written: '' }, (a, b) => a.written === b.written && same(a.doc, b.doc)),
  );
  const latest = useRef({ doc, typed: 0 });
  latest.current.doc = doc;
  useEffect(() => {
    if (!echoes.current.news({ written, doc })) return;
    const typed = latest.current.typed;
    void computer()
      .matching(written, doc)
      .then(async (next) => {
        // Who has typed meanwhile keeps it.
        if (typed !== latest.current.typed) return;
        setText(next);
        setFaults((await computer().read(next)).faults);
      });
  }, [doc, written]);
  const onChange = (next: string) => {
    setText(next);
    const typed = ++latest.current.typed;
    void computer()
      .read(next)
      .then(({ faults: found, doc: read }) => {
        if (typed !== latest.current.typed) return;
        setFaults(found);
        const now = read ?? latest.current.doc;
        echoes.current.sent({ written: next, doc: now });
        onEdit(now, { text: next, unread: !read });
      });
  };
  const marks = useMemo(() => {
    return findings
      .filter((f) => f.subject.kind === 'Charter' && f.subject.name === doc.name)
      .map((f): LineMark => {
        return {
          line: lineOf(text ?? '', 1, f.path[0]),
          severity: severities[f.severity],
          message: `${f.code} ${f.title}. ${f.text}`,
        };
      });
  }, [text, findings, doc.name]);
  if (text === undefined) return null;
  return (
    <div className="pt-3">
      <YamlEditor estate={estate} label="Charter as text" text={text} faults={faults} marks={marks} onChange={onChange} />
    </div>
  );
}
