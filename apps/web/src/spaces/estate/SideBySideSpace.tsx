import { compareClusters, compareSites, type SideBySide } from '@praesidor/core/compare';
import { byName } from '@praesidor/core/model';
import { viewOf } from '@praesidor/core/reading';
import { counted } from '@praesidor/core/words';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

/** Two sites, or two clusters, side by side: what differs beyond the names and addresses that go with each. */
export function SideBySideSpace() {
  const { site, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const findings = useReport().data?.findings;
  const of = params.get('of') === 'clusters' ? 'clusters' : 'sites';
  const names = useMemo(
    () =>
      !estate
        ? []
        : of === 'sites'
          ? [...estate.sites].sort(byName).map((s) => ({ name: s.name, label: s.title }))
          : [...estate.charters].sort(byName).map((c) => ({ name: c.name, label: `${c.name} at ${c.site}` })),
    [estate, of],
  );
  const pick = (key: string) => names.find((n) => n.name === params.get(key))?.name;
  const one = pick('one') ?? names.find((n) => n.name === site)?.name ?? names[0]?.name ?? '';
  const other = pick('other') ?? names.find((n) => n.name !== one)?.name ?? '';
  const compared = useMemo(() => {
    if (!estate || !one || !other) return undefined;
    const view = viewOf(estate);
    return of === 'sites' ? compareSites(view, one, other, findings ?? []) : compareClusters(view, one, other);
  }, [estate, findings, of, one, other]);
  const set = (key: string, value: string) =>
    setParams(
      (p) => {
        p.set(key, value);
        if (key === 'of') for (const k of ['one', 'other']) p.delete(k);
        return p;
      },
      { replace: true },
    );
  const choose = (key: 'one' | 'other', label: string, value: string) => (
    <select
      aria-label={label}
      className="max-w-[220px] border border-rule-2 bg-leaf px-2 py-1"
      value={value}
      onChange={(e) => set(key, e.target.value)}
    >
      {names.map((n) => (
        <option key={n.name} value={n.name}>
          {n.label}
        </option>
      ))}
    </select>
  );
  return (
    <Space
      space="side-by-side"
      title="Side by side"
      facts={
        compared ? (compared.differ.length ? `${counted(compared.differ.length, 'difference')}` : 'nothing is otherwise') : ''
      }
      findings={(findings ?? []).filter((f) =>
        of === 'sites' ? [one, other].includes(f.site) : f.charters.some((c) => [one, other].includes(c)),
      )}
      sheets={<SubNav site={site} />}
    >
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2 py-2.5">
        {(['sites', 'clusters'] as const).map((x) => (
          <label key={x} className="flex items-center gap-1.5">
            <input type="radio" name="of" checked={of === x} onChange={() => set('of', x)} />{' '}
            {x === 'sites' ? 'Sites' : 'Clusters'}
          </label>
        ))}
        {names.length > 1 && (
          <>
            {choose('one', 'The first', one)}
            <span className="text-ink-2">and</span>
            {choose('other', 'The second', other)}
          </>
        )}
      </div>
      {estate && names.length < 2 && (
        <Empty title={`There are no two ${of} yet`}>Two of them are compared as soon as there are two.</Empty>
      )}
      {compared && <Tables of={compared} one={one} other={other} kind={of} />}
    </Space>
  );
}

function Tables({ of, one, other, kind }: { of: SideBySide; one: string; other: string; kind: 'sites' | 'clusters' }) {
  const [all, setAll] = useState(false);
  const follows = of.follows.filter((f) => all || f.one !== f.other);
  const go = (name: string) => (kind === 'sites' ? `/estate?site=${name}` : `/clusters/${name}`);
  const head = (what: string) => (
    <thead>
      <tr>
        <th className="w-[210px]">{what}</th>
        {[one, other].map((n) => (
          <th key={n}>
            <Link to={go(n)} className="hover:underline">
              {n}
            </Link>
          </th>
        ))}
      </tr>
    </thead>
  );
  const row = (key: string, label: string, a: string, b: string, mono = false) => (
    <tr key={key} data-row tabIndex={-1}>
      <td className="whitespace-normal!">{label}</td>
      {[a, b].map((v, i) => (
        <td
          key={i === 0 ? 'one' : 'other'}
          className={`wrap-anywhere whitespace-normal! ${mono ? 'mono' : ''} ${a === b ? 'text-ink-2' : ''}`}
        >
          {v}
        </td>
      ))}
    </tr>
  );
  return (
    <>
      <table className="grid-table" aria-label="Amounts">
        {head('Has')}
        <tbody>{of.sums.map((s) => row(s.label, s.label, s.one, s.other))}</tbody>
      </table>
      <h2 className="pt-5 pb-1 text-lg">Set otherwise</h2>
      {of.differ.length ? (
        <table className="grid-table" aria-label="Set otherwise">
          {head('Field')}
          <tbody>
            {of.differ.map((d) =>
              row(
                `${d.kind} ${d.of} ${d.label}`,
                [d.kind === 'Charter' ? '' : d.of, d.label].filter(Boolean).join(': '),
                d.one,
                d.other,
                true,
              ),
            )}
          </tbody>
        </table>
      ) : (
        <p className="text-ink-2">Beyond names and addresses nothing is.</p>
      )}
      {of.differ.length > 0 && (
        <p className="pt-1 text-ink-2">
          What {one} has is written with the names and in the block of {other}.
        </p>
      )}
      {of.follows.length > 0 && (
        <>
          <h2 className="flex items-baseline gap-4 pt-5 pb-1 text-lg">
            What follows
            <label className="flex items-center gap-1.5 font-sans text-base">
              <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} /> what is the same too
            </label>
          </h2>
          <table className="grid-table" aria-label="What follows">
            {head('Follows')}
            <tbody>{follows.map((f) => row(f.label, f.label, f.one, f.other))}</tbody>
          </table>
        </>
      )}
    </>
  );
}
