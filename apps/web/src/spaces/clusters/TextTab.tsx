import type { Finding } from '@praesidor/core/checks';
import type { Charter, Estate, Fault } from '@praesidor/core/model';
import { useEffect, useMemo, useRef, useState } from 'react';
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
  const mine = useRef('');
  useEffect(() => {
    const key = JSON.stringify(doc);
    if (mine.current === key) return;
    mine.current = key;
    void computer()
      .matching(written, doc)
      .then(async (next) => {
        setText(next);
        setFaults((await computer().read(next)).faults);
      });
  }, [doc, written]);
  const onChange = (next: string) => {
    setText(next);
    void computer()
      .read(next)
      .then(({ faults: found, doc: read }) => {
        setFaults(found);
        mine.current = JSON.stringify(read ?? doc);
        onEdit(read ?? doc, { text: next, unread: !read });
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
