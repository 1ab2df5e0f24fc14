import { counted } from '@praesidor/core/words';
import { firmwarePlan, measures, partsOf, profilesOf, usualProfiles } from '@praesidor/core/hosts';
import type { Edit, Estate, FactName, Profile, Requirement } from '@praesidor/core/model';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { FirmwareDialog } from './FirmwareDialog.tsx';
import { useJudge } from './judge.ts';
import { SubNav } from './SubNav.tsx';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

const facts = Object.keys(measures) as FactName[];
const same = (a: Requirement | undefined, b: Requirement | undefined) => JSON.stringify(a) === JSON.stringify(b);

/** A requirement as it is typed: a number, words with commas, or nothing for what is only asked or not. */
const shown = (n: Requirement | undefined) =>
  !n ? '' : n.oneOf ? n.oneOf.join(', ') : n.atLeast !== undefined ? String(n.atLeast) : 'required';
function typed(fact: FactName, text: string, before: Requirement | undefined): Requirement | undefined {
  const t = text.trim();
  if (!t) return undefined;
  const base = before ?? { fact, ...(fact === 'network' ? { purpose: 'machine' as const } : {}) };
  const { atLeast: _a, oneOf: _o, ...rest } = base;
  if (fact === 'firmware') return rest;
  const n = Number(t);
  return Number.isFinite(n) ? { ...rest, atLeast: n } : { ...rest, oneOf: t.split(/[\s,]+/).filter(Boolean) };
}

/** What each role asks of a machine, and what firmware each model is to have: data of the estate, edited in place. */
export function ProfilesSpace() {
  const { site, inScope } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const judge = useJudge();
  const [edit, setEdit] = useState<{ edits: Edit[]; why: string }>();
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && ['HST-001', 'HST-002'].includes(f.code));
  if (!estate)
    return (
      <Space space="profiles" title="Requirements" sheets={<SubNav site={site} />} findings={[]}>
        {null}
      </Space>
    );
  const profiles = profilesOf(estate);
  const set = (p: Profile, fact: FactName, text: string) => {
    const before = p.needs.find((n) => n.fact === fact);
    const after = typed(fact, text, before);
    if (same(before, after)) return;
    const needs = after
      ? before
        ? p.needs.map((n) => (n.fact === fact ? after : n))
        : [...p.needs, after]
      : p.needs.filter((n) => n.fact !== fact);
    setEdit({
      why: `${p.title} asks ${measures[fact].label} ${shown(after) || 'no more'}`,
      edits: [{ op: 'put', doc: { ...p, needs } }],
    });
  };
  const hosts = estate.hosts.filter((h) => h.facts && h.state !== 'retired' && (!site || h.site === site));
  return (
    <Space
      space="profiles"
      sheets={<SubNav site={site} />}
      title="Requirements"
      facts={`${profiles.filter((p) => estate.profiles.some((o) => o.name === p.name)).length} of ${profiles.length} roles set in this estate; the others follow`}
      findings={findings}
      extra={
        <MarginPart title="Hosts that fit">
          {profiles.map((p) => (
            <div key={p.name}>
              <Link className="text-verdigris underline underline-offset-2" to={scoped(`/hosts?q=fit:${p.name}`, site)}>
                {hosts.filter((h) => judge(h).some((f) => f.role === p.name && f.fits)).length} of {hosts.length}
              </Link>{' '}
              {p.title.toLowerCase()}
            </div>
          ))}
        </MarginPart>
      }
    >
      <table className="grid-table" aria-label="Requirement profiles">
        <thead>
          <tr>
            <th>Fact</th>
            {profiles.map((p) => {
              const own = estate.profiles.some((o) => o.name === p.name);
              return (
                <th key={p.name}>
                  <span className={own ? 'font-semibold text-ink' : 'follows'}>
                    {own ? '' : '↳ '}
                    {p.title}
                  </span>
                  {own && (
                    <button
                      type="button"
                      className="ml-2 text-verdigris hover:underline"
                      onClick={() =>
                        setEdit({ why: `${p.title} asks the usual again`, edits: [{ op: 'drop', kind: 'Profile', key: p.name }] })
                      }
                    >
                      reset to default
                    </button>
                  )}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {facts.map((fact) => (
            <tr key={fact}>
              <td className="text-ink-2">
                {measures[fact].label}
                {measures[fact].unit ? `, ${measures[fact].unit}` : ''}
              </td>
              {profiles.map((p) => (
                <Cell
                  key={`${p.name} ${shown(p.needs.find((n) => n.fact === fact))}`}
                  label={`${p.title}, ${measures[fact].label}`}
                  text={shown(p.needs.find((n) => n.fact === fact))}
                  own={
                    estate.profiles.some((o) => o.name === p.name) &&
                    !same(
                      p.needs.find((n) => n.fact === fact),
                      usualProfiles.find((u) => u.name === p.name)?.needs.find((n) => n.fact === fact),
                    )
                  }
                  onSet={(t) => set(p, fact, t)}
                />
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="pt-1.5 text-ink-2">
        A number is the minimum; words separated by commas are the accepted values; an empty cell is no requirement. Enter saves,
        after showing what it changes.
      </p>
      <Baselines estate={estate} site={site} />
      {edit && (
        <Suspense>
          <EditsDialog title={edit.why} why={edit.why} edits={edit.edits} onClose={() => setEdit(undefined)} />
        </Suspense>
      )}
    </Space>
  );
}

function Cell({ label, text, own, onSet }: { label: string; text: string; own: boolean; onSet: (t: string) => void }) {
  const [draft, setDraft] = useState<string>();
  return (
    <td>
      <input
        aria-label={label}
        value={draft ?? text}
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && draft !== undefined) {
            onSet(draft);
            setDraft(undefined);
          } else if (e.key === 'Escape') setDraft(undefined);
        }}
        onBlur={() => setDraft(undefined)}
        placeholder="—"
        className={`w-28 bg-transparent px-1 ${own ? 'set' : 'follows'} ${draft === undefined ? '' : 'bg-leaf!'}`}
      />
    </td>
  );
}

function Baselines({ estate, site }: { estate: Estate; site: string }) {
  const [open, setOpen] = useState(false);
  const hosts = estate.hosts.filter((h) => (!site || h.site === site) && firmwarePlan(h, estate.baselines).steps.length > 0);
  return (
    <section aria-label="Firmware baselines" className="pt-6">
      <div className="flex items-center gap-3 pb-1">
        <h2 className="text-lg">Firmware baselines</h2>
        <Link className="text-verdigris underline underline-offset-2" to="/declare?kind=Baseline">
          Declare a baseline
        </Link>
        <Button className="ml-auto" disabled={!hosts.length} onClick={() => setOpen(true)}>
          {hosts.length ? `Plan for ${counted(hosts.length, 'host')}…` : 'All hosts are at their baseline'}
        </Button>
      </div>
      <table className="grid-table">
        <thead>
          <tr>
            <th>Model</th>
            <th>Part</th>
            <th>Accepted</th>
            <th>Update to</th>
            <th>Requires</th>
            <th>Restart</th>
            <th>Image</th>
          </tr>
        </thead>
        <tbody>
          {estate.baselines.flatMap((b) =>
            partsOf(b).map((p, i) => (
              <tr key={`${b.name} ${p.part}`}>
                <td className="font-semibold">{i ? '' : b.model}</td>
                <td>{p.part}</td>
                <td className="mono">
                  ≥ {p.atLeast}
                  {p.below ? `, < ${p.below}` : ''}
                </td>
                <td className="mono">{p.to}</td>
                <td>{p.after.join(', ') || '—'}</td>
                <td>{p.reboot ? 'yes' : 'no'}</td>
                <td className="mono max-w-64 truncate text-ink-2" title={p.image}>
                  {p.image ?? 'none named'}
                </td>
              </tr>
            )),
          )}
        </tbody>
      </table>
      {open && <FirmwareDialog hosts={hosts} estate={estate} onClose={() => setOpen(false)} />}
    </section>
  );
}
