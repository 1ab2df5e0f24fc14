import type { Finding } from '@praesidor/core/checks';
import { actPlace, placeOf } from '@praesidor/core/moves';
import { counted } from '@praesidor/core/words';
import { Fragment, lazy, type ReactNode, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { FindingMarker } from '../parts/FindingMarker.tsx';
import { useReport } from '../state/computed.ts';
import { useMay } from '../state/may.ts';
import { Accepted } from './Accepted.tsx';
import { scoped, useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { Own } from '../parts/Own.tsx';

/** As many as somebody reads; a hall of ten thousand hosts has thousands, and drawing them would slow all else down. */
const page = 60;

/** The words of a check are in the code of its page; the code alone is enough where that was not loaded. */
const checkTitle = (code: string) => `Check ${code}`;

const RemedyDialog = lazy(() => import('./RemedyDialog.tsx'));
const AcceptDialog = lazy(() => import('./AcceptDialog.tsx'));

/** The panel at the right of every view: findings, most serious first, then what else helps here. */
export function Margin({
  space,
  folded,
  findings,
  extra,
  foot,
}: {
  space: string;
  folded: boolean;
  findings: readonly Finding[];
  extra?: ReactNode;
  foot?: ReactNode;
}) {
  const fold = useView((s) => s.fold);
  const lit = useView((s) => s.lit);
  const light = useView((s) => s.light);
  const [open, setOpen] = useState<Finding>();
  const [accepting, setAccepting] = useState<Finding>();
  const leave = useMay();
  const { site } = useScope();
  const [most, setMost] = useState(page);
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const report = useReport();
  const n = (s: Finding['severity']) => findings.filter((f) => f.severity === s).length;
  const counts = (['stop', 'mind', 'note'] as const).filter((s) => n(s));
  if (folded)
    return (
      <aside aria-label="Margin" className="border-rule-2 border-l">
        <button
          type="button"
          onClick={() => fold(space)}
          className="flex h-full w-full flex-col items-center gap-1 pt-5 text-ink-3"
          aria-label="Unfold the margin"
        >
          ‹{' '}
          {findings.slice(0, 9).map((f, i) => (
            <FindingMarker key={f.id} severity={f.severity} number={i + 1} />
          ))}
        </button>
      </aside>
    );
  return (
    <aside aria-label="Margin" className="min-h-0 overflow-auto border-rule-2 border-l px-4 pb-4">
      <div className="sticky top-0 flex items-baseline justify-between border-rule border-b bg-paper pt-4.5 pb-2">
        <h2 className="text-lg">
          <Own>Margin</Own>
        </h2>
        <span className="text-ink-2 text-sm">
          {counts.map((s, i) => (
            <Fragment key={s}>
              {i ? ' · ' : ''}
              {n(s)} <Own>{s}</Own>
            </Fragment>
          ))}
          {counts.length ? '' : report.data ? 'nothing found' : 'checking…'}{' '}
          <button type="button" onClick={() => fold(space)} aria-label="Fold the margin" className="ml-1 px-1 text-ink-3">
            ›
          </button>
        </span>
      </div>
      <ol>
        {rowsOf(findings, most, lit, opened).map((r) => {
          if ('more' in r)
            return (
              <li key={`more ${r.code}`} className="border-rule border-b py-1.5 pl-[29px]">
                <button
                  type="button"
                  aria-expanded={false}
                  className="text-left text-verdigris hover:underline"
                  onClick={() => setOpened(new Set([...opened, r.code]))}
                >
                  {counted(r.more.length, 'more like it', 'more like it')}
                  <span className="block break-words text-ink-2">
                    {r.more
                      .slice(0, 6)
                      .map((f) => f.subject.name.split('/').at(-1))
                      .join(', ')}
                    {r.more.length > 6 ? ' …' : ''}
                  </span>
                </button>
              </li>
            );
          const [f, i] = r.one;
          return (
            <li
              key={f.id}
              id={`margin-${f.id}`}
              data-finding={f.code}
              onMouseEnter={() => light(f.id)}
              onMouseLeave={() => light(undefined)}
              className={`flex gap-3 border-rule border-b py-2.5 ${lit === f.id ? 'lit -mx-2 px-2' : ''}`}
            >
              <span className="pt-px">
                <FindingMarker severity={f.severity} number={i + 1} />
              </span>
              <div className="min-w-0 flex-1">
                <div className="break-words font-semibold">{f.title}</div>
                <div className="break-words text-ink-2">{f.text}</div>
                <div className="flex items-baseline justify-between gap-2 pt-0.5">
                  <RemedyLink finding={f} onOpen={() => setOpen(f)} />
                  {f.severity !== 'stop' && leave.may('findings.tolerate') && (
                    <button
                      type="button"
                      className="whitespace-nowrap text-ink-2 hover:underline"
                      onClick={() => setAccepting(f)}
                    >
                      Accept…
                    </button>
                  )}
                  <Link
                    to={scoped(`/checks?code=${f.code}`, f.site)}
                    className="ml-auto whitespace-nowrap text-ink-3 text-xs hover:underline"
                    title={`${checkTitle(f.code)}: all checks`}
                  >
                    {f.code}
                  </Link>
                </div>
              </div>
            </li>
          );
        })}
      </ol>
      {findings.length > most && (
        <button type="button" className="pt-2 font-semibold text-verdigris hover:underline" onClick={() => setMost(most + page)}>
          Show {Math.min(page, findings.length - most)} more of {(findings.length - most).toLocaleString('en')}
        </button>
      )}
      <Accepted findings={(report.data?.accepted ?? []).filter((f) => !site || !f.site || f.site === site)} />
      {extra}
      {foot && <div className="pt-2.5 text-ink-2 text-sm">{foot}</div>}
      <Suspense>
        {open && <RemedyDialog finding={open} onClose={() => setOpen(undefined)} />}
        {accepting && <AcceptDialog finding={accepting} onClose={() => setAccepting(undefined)} />}
      </Suspense>
    </aside>
  );
}

/** From so many of one code on, the rest is folded to a line with their number. */
const folds = 4;
type Row = { one: [Finding, number] } | { code: string; more: Finding[] };

/** What the list shows: equal findings as one and a line that opens to the others; the one that is lit is always there. */
function rowsOf(findings: readonly Finding[], most: number, lit: string | undefined, opened: ReadonlySet<string>): Row[] {
  const rows: Row[] = [];
  const list = shown(findings, most, lit);
  for (let at = 0; at < list.length; ) {
    const { code } = (list[at] as [Finding, number])[0];
    let end = at;
    while (end < list.length && list[end]?.[0].code === code) end++;
    const group = list.slice(at, end);
    at = end;
    if (group.length < folds || opened.has(code)) {
      rows.push(...group.map((one): Row => ({ one })));
      continue;
    }
    const [first, ...others] = group as [[Finding, number], ...[Finding, number][]];
    rows.push({ one: first });
    const own = others.find(([f]) => f.id === lit);
    if (own) rows.push({ one: own });
    rows.push({ code, more: others.flatMap(([f]) => (f.id === lit ? [] : [f])) });
  }
  return rows;
}

/** The first findings with their numbers, and the one that is lit wherever it stands. */
function shown(findings: readonly Finding[], most: number, lit: string | undefined): [Finding, number][] {
  const list = findings.slice(0, most).map((f, i): [Finding, number] => [f, i]);
  if (lit && findings.length > most) {
    const at = findings.findIndex((f) => f.id === lit);
    if (at >= most) list.push([findings[at] as Finding, at]);
  }
  return list;
}

/** What can be done: edits are shown before they are made; other acts lead to where they stand. */
function RemedyLink({ finding: f, onOpen }: { finding: Finding; onOpen: () => void }) {
  const { site } = useScope();
  const look = 'text-left font-semibold text-verdigris hover:underline';
  if (f.remedy?.edits)
    return (
      <button type="button" className={look} onClick={onOpen}>
        {f.remedy.label}
      </button>
    );
  // One without a remedy leads to what it is about.
  return (
    <Link className={look} to={f.remedy?.act ? actPlace(f) : scoped(placeOf(f.subject, f.site), site)}>
      {f.remedy?.label ?? `Show ${f.subject.name.split('/').at(-1)}`}
    </Link>
  );
}

/** A titled list under the findings. */
export const MarginPart = ({ title, children }: { title: string; children: ReactNode }) => (
  <section className="pt-5">
    <h2 className="pb-1.5 text-lg">{title}</h2>
    {children}
  </section>
);
