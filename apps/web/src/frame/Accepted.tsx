import type { Finding } from '@praesidor/core/checks';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { When } from '../parts/When.tsx';
import { useCall } from '../state/call.ts';
import { useMay } from '../state/may.ts';

/** Findings that somebody lives with, folded to a line. */
export function Accepted({ findings }: { findings: readonly Finding[] }) {
  const [open, setOpen] = useState(false);
  const leave = useMay();
  const back = useCall<object, Finding>(
    (f: Finding) => ({ method: 'DELETE', path: `/api/findings/accept?finding=${encodeURIComponent(f.id)}` }),
    (_, f) => `${f.code} stands among the others again.`,
    [['estate'], ['acts']],
  );
  if (!findings.length) return null;
  return (
    <section className="pt-3">
      <button
        type="button"
        aria-expanded={open}
        className="text-left text-verdigris hover:underline"
        onClick={() => setOpen(!open)}
      >
        {counted(findings.length, 'finding is accepted', 'findings are accepted')}
      </button>
      {open && (
        <ul>
          {findings.map((f) => (
            <li key={f.id} className="border-rule border-b py-2">
              <div className="break-words">
                {f.title} <span className="text-ink-3 text-xs">{f.code}</span>
              </div>
              <div className="break-words text-ink-2">
                {f.accepted?.reason}. {f.accepted?.by}, until <When at={f.accepted?.until ?? ''} as="day" />
              </div>
              <button
                type="button"
                className="text-verdigris hover:underline disabled:text-ink-3"
                disabled={!leave.may('findings.tolerate') || back.isPending}
                title={leave.why('findings.tolerate')}
                onClick={() => back.mutate(f)}
              >
                Accept no longer
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
