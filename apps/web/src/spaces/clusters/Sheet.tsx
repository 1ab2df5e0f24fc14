import type { Finding } from '@praesidor/core/checks';
import { followedValue, type Plan } from '@praesidor/core/charter';
import type { Charter, Estate } from '@praesidor/core/model';
import { useContext } from 'react';
import { Link } from 'react-router';
import { FindingMarker, MarginContext } from '../../parts/FindingMarker.tsx';
import { at, fields, optionsOf, sections, withValue } from './fields.ts';
import { Follows } from './Follows.tsx';
import { RowsValue } from './RowsValue.tsx';
import { SetValue } from './SetValue.tsx';

/** Where a finding about something else shows on the right side. */
const anchorByCheck: Record<string, string> = {
  'IMG-001': 'held',
  'IMG-006': 'held',
  'HST-002': 'not-chosen',
  'DNS-001': 'inbound',
  'IMG-002': 'redirects',
  'IMG-003': 'redirects',
  'CHT-005': 'worker',
  'ADR-006': 'api',
};

/** The line that follows and that a finding is about; a shortage of hosts stands at the role that lacks them. */
const anchorOf = (f: Finding) => (f.code === 'CHT-005' && f.path[0] === 'controlPlane' ? 'control-plane' : anchorByCheck[f.code]);

/** Where the lines of files that come from a field are shown, in the same scope. */
const linesOf = (field: string) => {
  const p = new URLSearchParams(window.location.search);
  p.set('tab', 'files');
  p.set('trace', field);
  return `?${p.toString()}`;
};

export function Sheet({
  draft,
  saved,
  plan,
  estate,
  onEdit,
}: {
  draft: Charter;
  saved: Charter;
  plan: Plan | undefined;
  estate: Estate;
  onEdit: (c: Charter) => void;
}) {
  const findings = useContext(MarginContext);
  const mine = (f: Finding) => f.subject.kind === 'Charter' && f.subject.name === draft.name;
  const number = (list: Finding[]) =>
    list.map((f) => (
      <span key={f.id} className="ml-1.5">
        <FindingMarker severity={f.severity} number={findings.indexOf(f) + 1} id={f.id} />
      </span>
    ));
  const paths = fields.map((f) => f.path.join('.'));
  const atField = (path: string) =>
    findings.filter(
      (f) =>
        mine(f) &&
        anchorByCheck[f.code] === undefined &&
        (f.path.join('.') === path ||
          (paths.find((p) => p === f.path.join('.')) === undefined &&
            path === paths.find((p) => p.startsWith(String(f.path[0]))))),
    );
  return (
    <div>
      <div className="grid grid-cols-[128px_minmax(0,1fr)_minmax(0,1fr)] gap-x-5 pt-2.5 pb-1 text-ink-2 text-sm">
        <span />
        <span>You set</span>
        <span>Follows from it</span>
      </div>
      {([1, 2, 3, 4, 5, 6] as const).map((n) => (
        <section key={n} aria-label={sections[n]} className="grid grid-cols-[128px_minmax(0,1fr)_minmax(0,1fr)] gap-x-5 pb-2">
          <div className="border-rule-2 border-t pt-2">
            <div className="text-ink-3 text-sm">§{n}</div>
            <h2 className="text-md leading-tight">{sections[n]}</h2>
          </div>
          <div className="border-rule-2 border-t pt-2">
            {fields
              .filter((f) => f.section === n)
              .map((f) => {
                const value = at(draft, f.path);
                const found = atField(f.path.join('.'));
                return (
                  <div key={f.label} data-row tabIndex={-1} className="flex items-baseline pb-1">
                    <Link
                      to={{ search: linesOf(f.path.join('.')) }}
                      tabIndex={-1}
                      title={`Lines of files that come from ${f.label}`}
                      className="w-[112px] shrink-0 text-ink-2 hover:underline"
                    >
                      {f.label}
                    </Link>
                    {f.kind === 'rows' || f.kind === 'group' ? (
                      <RowsValue field={f} draft={draft} saved={saved} estate={estate} onEdit={onEdit} />
                    ) : (
                      <SetValue
                        field={f}
                        value={value}
                        options={f.kind === 'choice' ? optionsOf(f, estate, draft) : []}
                        computed={plan && followedValue(plan, f.path)}
                        changed={JSON.stringify(value) !== JSON.stringify(at(saved, f.path))}
                        wrong={found.some((x) => x.severity === 'stop')}
                        onSet={(v) =>
                          onEdit(withValue(draft, f.path[0] === 'servicePool' && v === undefined ? ['servicePool'] : f.path, v))
                        }
                      />
                    )}
                    {number(found)}
                  </div>
                );
              })}
          </div>
          <div className="border-rule-2 border-t pt-2">
            {plan?.follows
              .filter((f) => f.section === n)
              .map((f) => (
                <div key={f.id} className="flex items-baseline pb-1">
                  <span className="w-[112px] shrink-0 text-ink-2">{f.label}</span>
                  <Follows follow={f} />
                  {number(
                    findings.filter(
                      (x) =>
                        anchorOf(x) === f.id &&
                        (mine(x) ||
                          x.subject.name === draft.mirror ||
                          x.path[0] === plan.inbound.name ||
                          (x.code === 'HST-002' && plan.notChosen.some((h) => h.host === x.subject.name))),
                    ),
                  )}
                </div>
              ))}
          </div>
        </section>
      ))}
    </div>
  );
}
