import type { WhatChanged } from '@praesidor/contract';
import type { Finding } from '@praesidor/core/checks';
import { counted } from '@praesidor/core/words';
import { placeOf } from '@praesidor/core/moves';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

const hour = 3600_000;
/** From when, beside the last visit: hours before now. */
const spans = [
  ['', 'my last visit'],
  ['12', '12 hours ago'],
  ['24', 'a day ago'],
  ['168', 'a week ago'],
  ['720', '30 days ago'],
] as const;

/** What others changed, and how work ended, since whoever looks was here last. */
export function ChangedSpace() {
  const { site, params, setParam, inScope } = useScope();
  const estate = useSnapshot().data?.estate;
  const findings = useReport().data?.findings ?? [];
  const span = spans.find(([h]) => h === params.get('since'))?.[0] ?? '';
  const changed = useQuery({
    queryKey: ['acts', 'since', span],
    queryFn: () => {
      // To the minute, so that it is asked once.
      const from = new Date(Math.floor((Date.now() - Number(span) * hour) / 60_000) * 60_000).toISOString();
      return api<WhatChanged>('GET', `/api/acts/since${span ? `?from=${from}` : ''}`);
    },
  });
  const got = changed.data;
  const plan = (got?.plan ?? []).filter((p) => !site || p.site === site);
  const acts = (got?.acts ?? []).filter((a) => !a.site || inScope(a.site));
  const bad = acts.filter((a) => a.about === 'failed' || a.about === 'drift');
  const rest = acts.filter((a) => !bad.includes(a));
  const titleOf = (name: string) => estate?.sites.find((s) => s.name === name)?.title ?? name;
  return (
    <Space
      space="changed"
      title="What changed"
      facts={
        got?.from ? (
          <>
            since <When at={got.from} as="both" /> · {counted(plan.length, 'document')} ·{' '}
            {counted(acts.length + (got.more ?? 0), 'act')}
          </>
        ) : (
          ''
        )
      }
      findings={findings.filter((f) => inScope(f.site))}
      sheets={<SubNav site={site} />}
    >
      <label className="flex items-center gap-2 py-2.5">
        Since
        <select
          aria-label="Since"
          className="border border-rule-2 bg-leaf px-2 py-1"
          value={span}
          onChange={(e) => setParam('since', e.target.value)}
        >
          {spans.map(([h, label]) => (
            <option key={h} value={h}>
              {label}
            </option>
          ))}
        </select>
      </label>
      <Refused error={changed.error} />
      {got && !got.from && (
        <Empty title="This is your first visit">
          A visit ends after half an hour without a request. When you come back, what others changed meanwhile stands here. Choose
          another time above to look further back.
        </Empty>
      )}
      {got?.from && !plan.length && !acts.length && (
        <p className="text-ink-2">Nothing was changed by others, and no work ended.</p>
      )}
      {bad.length > 0 && (
        <>
          <h2 className="pt-3 pb-1 text-lg">Failed, or not as it was proved</h2>
          <Acts list={bad} label="Failed, or not as it was proved" siteOf={titleOf} />
        </>
      )}
      {plan.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">In the plan</h2>
          <table className="grid-table" aria-label="In the plan">
            <thead>
              <tr>
                <th className="w-[190px]">Document</th>
                <th>Field</th>
                <th>Was</th>
                <th>Is</th>
                <th>By</th>
                <th>When</th>
              </tr>
            </thead>
            <tbody>
              {plan.map((p, n) => (
                <Fragment key={`${p.kind} ${p.key}`}>
                  {p.site !== plan[n - 1]?.site && (
                    <tr>
                      <td colSpan={6} className="bg-leaf text-ink-2">
                        {p.site ? titleOf(p.site) : 'Of no site'}
                      </td>
                    </tr>
                  )}
                  <Document of={p} />
                </Fragment>
              ))}
            </tbody>
          </table>
        </>
      )}
      {(got?.unread ?? 0) > 0 && (
        <p className="pt-2 text-ink-2">
          {counted(got?.unread ?? 0, 'further document')} changed in large acts; those stand below as one line each.
        </p>
      )}
      {rest.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">Done</h2>
          <Acts list={rest} label="Done" siteOf={titleOf} />
          {(got?.more ?? 0) > 0 && (
            <p className="pt-2 text-ink-2">
              and {got?.more} more: they stand in the{' '}
              <Link className="font-semibold text-verdigris hover:underline" to={scoped('/record', site)}>
                record
              </Link>
            </p>
          )}
        </>
      )}
    </Space>
  );
}

function Document({ of: p }: { of: WhatChanged['plan'][number] }) {
  const lines = p.fields.length ? p.fields : [undefined];
  const value = 'mono max-w-[200px] truncate';
  return (
    <>
      {lines.map((f, n) => (
        <tr key={f?.name ?? ''} {...(n ? {} : { 'data-row': true, tabIndex: -1 })}>
          <td>
            {n === 0 &&
              (p.how === 'removed' ? (
                `${p.kind} ${p.key}`
              ) : (
                <Link
                  className="font-semibold text-verdigris hover:underline"
                  to={placeOf({ kind: p.kind as Finding['subject']['kind'], name: p.key }, p.site ?? '')}
                >
                  {p.kind} {p.key}
                </Link>
              ))}
          </td>
          {f ? (
            <>
              <td>{f.name}</td>
              <td className={`${value} text-ink-2`} title={f.was}>
                {f.was ?? '—'}
              </td>
              <td className={value} title={f.is}>
                {f.is ?? '—'}
              </td>
            </>
          ) : (
            <td colSpan={3} className={p.how === 'removed' ? 'text-brick' : 'text-verdigris'}>
              {p.how}
            </td>
          )}
          <td>{n === 0 && p.who.join(', ')}</td>
          <td>{n === 0 && <When at={p.at} />}</td>
        </tr>
      ))}
      {p.more > 0 && (
        <tr>
          <td />
          <td colSpan={5} className="text-ink-2">
            and {counted(p.more, 'further field')}
          </td>
        </tr>
      )}
    </>
  );
}

const Acts = ({ list, label, siteOf }: { list: WhatChanged['acts']; label: string; siteOf: (name: string) => string }) => (
  <table className="grid-table" aria-label={label}>
    <thead>
      <tr>
        <th className="w-[120px]">When</th>
        <th className="w-[120px]">Who</th>
        <th>Did</th>
        <th>To what</th>
        <th className="w-[110px]">Site</th>
      </tr>
    </thead>
    <tbody>
      {list.map((a) => (
        <tr key={a.id} data-row tabIndex={-1}>
          <td>
            <When at={a.at} />
          </td>
          <td>{a.who}</td>
          <td className={a.about === 'failed' || a.about === 'drift' ? 'text-brick' : ''}>{a.act}</td>
          <td className="max-w-[320px] truncate" title={a.subject}>
            {a.subject}
            {a.documents > 0 && <span className="text-ink-2"> · {counted(a.documents, 'document')}</span>}
          </td>
          <td className="text-ink-2">{a.site ? siteOf(a.site) : ''}</td>
        </tr>
      ))}
    </tbody>
  </table>
);
