import type { Finding } from '@praesidor/core/checks';
import { createContext, useContext } from 'react';
import { useView } from '../state/view.ts';

const fill = { stop: 'var(--brick)', mind: 'var(--ochre)', note: 'var(--slate)' };

/** The pentagon of a finding with its number. */
export function FindingMarker({
  severity,
  number,
  id,
  onClick,
}: {
  severity: Finding['severity'];
  number: number;
  id?: string;
  onClick?: () => void;
}) {
  const lit = useView((s) => s.lit);
  const light = useView((s) => s.light);
  const on = id !== undefined && lit === id;
  const shape = (
    <svg width="17" height="18" viewBox="0 0 17 18" aria-hidden="true">
      <path d="M8.5.6 16 4.600V17.400H1V4.600z" fill={fill[severity]} stroke={on ? 'var(--ink)' : 'none'} strokeWidth="1.6" />
      <text
        x="8.5"
        y="14"
        textAnchor="middle"
        fontSize={number < 100 ? 10.5 : number < 1000 ? 8 : 6}
        fontWeight="700"
        fill="var(--on-fill)"
      >
        {number}
      </text>
    </svg>
  );
  if (!id) return <span className="inline-block align-[-4px]">{shape}</span>;
  return (
    <button
      type="button"
      data-bastion
      className="inline-block align-[-4px] leading-none"
      aria-label={`${severity} ${number}`}
      onMouseEnter={() => light(id)}
      onMouseLeave={() => light(undefined)}
      onFocus={() => light(id)}
      onBlur={() => light(undefined)}
      onClick={() => {
        onClick?.();
        document.getElementById(`margin-${id}`)?.scrollIntoView({ block: 'nearest' });
      }}
    >
      {shape}
    </button>
  );
}

/** The findings of the view, numbered as in its margin. */
export const MarginContext = createContext<readonly Finding[]>([]);

type Numbered = { f: Finding; i: number };
const subjects = new WeakMap<readonly Finding[], Map<string, Numbered[]>>();
/** Findings by what they are about, sorted once a list: every row of a table asks for its own. */
function bySubject(findings: readonly Finding[]): Map<string, Numbered[]> {
  let map = subjects.get(findings);
  if (!map) {
    map = new Map();
    for (const [i, f] of findings.entries()) {
      const key = `${f.subject.kind} ${f.subject.name}`;
      const list = map.get(key);
      if (list) list.push({ f, i });
      else map.set(key, [{ f, i }]);
    }
    subjects.set(findings, map);
  }
  return map;
}

/** The bastions that belong at a field: those whose subject and path are given. */
export function At({ kind, name, path }: { kind: string; name: string; path?: string }) {
  const findings = useContext(MarginContext);
  return (
    <>
      {(bySubject(findings).get(`${kind} ${name}`) ?? []).map(({ f, i }) =>
        path === undefined || f.path.join('.').startsWith(path) ? (
          <span key={f.id} className="ml-1.5">
            <FindingMarker severity={f.severity} number={i + 1} id={f.id} />
          </span>
        ) : null,
      )}
    </>
  );
}
