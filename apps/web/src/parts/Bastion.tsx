import type { Finding } from '@praesidor/core/checks';
import { createContext, useContext } from 'react';
import { useView } from '../state/view.ts';

const fill = { stop: 'var(--brick)', mind: 'var(--ochre)', note: 'var(--slate)' };

/** The pentagon of a finding with its number. */
export function Bastion({
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
      <text x="8.5" y="14" textAnchor="middle" fontSize="10.5" fontWeight="700" fill="var(--on-fill)">
        {number}
      </text>
    </svg>
  );
  if (!id) return <span className="inline-block align-[-4px]">{shape}</span>;
  return (
    <button
      type="button"
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

/** The bastions that belong at a field: those whose subject and path are given. */
export function At({ kind, name, path }: { kind: string; name: string; path?: string }) {
  const findings = useContext(MarginContext);
  return (
    <>
      {findings.map((f, i) =>
        f.subject.kind === kind && f.subject.name === name && (path === undefined || f.path.join('.').startsWith(path)) ? (
          <span key={f.id} className="ml-1.5">
            <Bastion severity={f.severity} number={i + 1} id={f.id} />
          </span>
        ) : null,
      )}
    </>
  );
}
