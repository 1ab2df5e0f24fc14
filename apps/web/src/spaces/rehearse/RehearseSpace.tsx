import { awayText, caseTitle, type Sort, type Tried, type Verdict } from '@praesidor/core/rehearse';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { useMay } from '../../state/may.ts';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import { Course, courseOf, lossesOf } from './Course.tsx';
import { SubNav } from './SubNav.tsx';
import { AbsencesChart } from './AbsencesChart.tsx';
import { Compared } from './Compared.tsx';
import { TimeLines } from './TimeLines.tsx';
import { TriedLoss } from './TriedLoss.tsx';

const titles: Record<Sort, string> = {
  host: 'one host',
  two: 'two hosts',
  rack: 'a rack',
  zone: 'a zone',
  feed: 'a power feed',
  switch: 'a switch',
  service: 'a service',
  site: 'everything',
};
/** Lines of the table before somebody asks for all. */
const first = 12;

/** What a loss does to a cluster: one case over time, all cases from the worst on, and what would help most. */
export function RehearseSpace() {
  const { site, inScope } = useScope();
  const snapshot = useSnapshot().data;
  const report = useReport();
  const leave = useMay();
  const [params, setParams] = useSearchParams();
  const [trying, setTrying] = useState<Tried>();
  const [whole, setWhole] = useState(false);
  const charters = (snapshot?.estate.charters ?? []).filter((c) => inScope(c.site));
  const asked = params.get('cluster') ?? '';
  const name = charters.some((c) => c.name === asked) ? asked : (charters[0]?.name ?? '');
  const charter = charters.find((c) => c.name === name);
  const all = useQuery({
    queryKey: ['rehearse', snapshot?.state, name],
    enabled: snapshot !== undefined && name !== '',
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? ((await (await computerWith(snapshot)).rehearse(name)) ?? null) : null),
  }).data;
  const cases = all?.charter === name ? all.cases : [];
  const lost = params.get('lost') ?? '';
  const chosen = cases.find((v) => caseTitle(v.case) === lost) ?? cases.find((v) => v.case.sort === 'host') ?? cases[0];
  const asks = courseOf(params, cases);
  const losses = chosen ? lossesOf(chosen, asks) : [];
  const rows = useQuery({
    queryKey: ['rehearse', snapshot?.state, name, losses],
    enabled: snapshot !== undefined && chosen !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot && chosen ? ((await (await computerWith(snapshot)).rehearseCase(name, losses)) ?? []) : []),
  }).data;
  const set = (what: Record<string, string>) =>
    setParams(
      (p) => {
        for (const [k, v] of Object.entries(what)) p.set(k, v);
        return p;
      },
      { replace: true },
    );
  const choose = (v: Verdict | undefined) => set({ lost: v ? caseTitle(v.case) : '' });
  const findings = (report.data?.findings ?? []).filter((f) => f.charters.includes(name) && /^(STO|CHT)/.test(f.code));
  const present = (Object.keys(titles) as Sort[]).filter((s) => cases.some((v) => v.case.sort === s));
  return (
    <Space
      space="rehearse"
      sheets={<SubNav site={site} />}
      title="Rehearse"
      facts={charter ? `${name}, as its charter stands: what a loss would do, computed` : 'what a loss would do, computed'}
      findings={findings}
      acts={
        charters.length > 1 && (
          <select
            aria-label="Cluster"
            value={name}
            onChange={(e) => set({ cluster: e.target.value, lost: '' })}
            className="border border-rule-2 bg-leaf px-2 py-1.5"
          >
            {charters.map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
          </select>
        )
      }
    >
      {!charter && snapshot && (
        <Empty title="No cluster">A charter says which hosts a cluster has, and what runs in it. Begin one under Clusters.</Empty>
      )}
      {charter && all && !cases.length && (
        <Empty title="Nothing to lose yet">
          No host fits the charter of {name}: see its <Link to={scoped(`/clusters/${name}`, site)}>sheet</Link>.
        </Empty>
      )}
      {chosen && (
        <>
          <div className="flex flex-wrap items-center gap-x-4 gap-y-2 pt-3">
            <div role="radiogroup" aria-label="What is lost" className="flex">
              {present.map((s) => (
                <button
                  type="button"
                  role="radio"
                  aria-checked={chosen.case.sort === s}
                  key={s}
                  onClick={() => choose(cases.find((v) => v.case.sort === s))}
                  className={`-ml-px border px-2.5 py-1 first:ml-0 ${chosen.case.sort === s ? 'border-ink bg-ink text-paper' : 'border-rule-2 bg-leaf'}`}
                >
                  {titles[s]}
                </button>
              ))}
            </div>
            <label className="flex items-baseline gap-2">
              <span className="text-ink-2">Lost</span>
              <select
                value={caseTitle(chosen.case)}
                onChange={(e) => set({ lost: e.target.value })}
                className="max-w-[300px] border border-rule-2 bg-leaf px-2 py-1"
              >
                {cases
                  .filter((v) => v.case.sort === chosen.case.sort)
                  .map((v) => caseTitle(v.case))
                  .sort()
                  .map((n) => (
                    <option key={n}>{n}</option>
                  ))}
              </select>
            </label>
          </div>
          <Course asks={asks} cases={cases} chosen={chosen} onSet={set} />
          {rows && <TimeLines rows={rows} />}
          {chosen.case.hosts.length > 0 && (
            <TriedLoss
              key={`${name} ${caseTitle(chosen.case)}`}
              name={name}
              lost={caseTitle(chosen.case)}
              hosts={chosen.case.hosts.map((h) => all?.hosts[h] ?? '')}
              rows={rows ?? []}
            />
          )}
          {all?.works === 0 && (
            <p className="pt-2 text-ink-2">
              No workloads are declared: what runs in {name} is not known here.{' '}
              <Link to={scoped(`/clusters/${name}`, site)}>Declare them</Link> on its sheet.
            </p>
          )}
          <h2 className="pt-5 pb-1 text-lg">
            Worst first <span className="ml-1.5 font-normal font-sans text-base text-ink-2">{counted(cases.length, 'case')}</span>
          </h2>
          <Cases list={whole ? cases : cases.slice(0, first)} chosen={chosen} onChoose={choose} />
          {cases.length > first && (
            <div className="pt-2">
              <Button onClick={() => setWhole(!whole)}>{whole ? 'Show the worst' : `Show all ${cases.length} cases`}</Button>
            </div>
          )}
          {cases.length > 1 && <AbsencesChart cases={cases} />}
          {all && all.alone > 0 && (
            <p className="pt-2 text-ink-2">
              Any two are lost of the hosts that decide and those with most on them;{' '}
              {counted(all.alone, 'other is', 'others are')} lost alone.
            </p>
          )}
          {all && all.common.length > 0 && (
            <p className="pt-2 text-ink-2">
              In common to what does not come back by itself:{' '}
              {all.common.map((c) => `${c.what} (${Math.round(c.share * 100)} %)`).join(', ')}.
            </p>
          )}
          {all && (
            <Helps list={all.matters} may={leave.may('charters.save')} why={leave.why('charters.save')} onTry={setTrying} />
          )}
        </>
      )}
      {trying && (
        <EditsDialog
          title={trying.label}
          about={`Cost: ${trying.cost}.`}
          edits={trying.edits}
          why={`Rehearsed: ${trying.label}`}
          folded
          onClose={() => setTrying(undefined)}
        >
          {chosen && rows && (
            <Compared name={name} title={caseTitle(chosen.case)} losses={losses} edits={trying.edits} before={rows} />
          )}
        </EditsDialog>
      )}
    </Space>
  );
}

function Cases({ list, chosen, onChoose }: { list: readonly Verdict[]; chosen: Verdict; onChoose: (v: Verdict) => void }) {
  return (
    <table className="grid-table" aria-label="Cases, worst first">
      <thead>
        <tr>
          <th>Lost</th>
          <th>Longest away</th>
          <th>Data</th>
          <th>Quorum</th>
          <th>Room left</th>
          <th>Verdict</th>
        </tr>
      </thead>
      <tbody>
        {list.map((v) => {
          const noQuorum = v.quorum.left * 2 <= v.quorum.of;
          return (
            <tr key={caseTitle(v.case)} data-row tabIndex={-1} aria-selected={v === chosen} onClick={() => onChoose(v)}>
              <td className="whitespace-nowrap!">
                <button type="button" className="text-left font-semibold hover:underline" onClick={() => onChoose(v)}>
                  {caseTitle(v.case)}
                </button>
              </td>
              <td>{v.longest ? `${v.longest.what} ${awayText(v.longest.ms)}` : 'nothing'}</td>
              <td className={v.lost.length ? 'text-brick' : ''}>{v.lost.length ? `no copy of ${v.lost.length}` : 'none lost'}</td>
              <td className={noQuorum ? 'text-brick' : ''}>
                {v.quorum.left} of {v.quorum.of}
              </td>
              <td className={`whitespace-nowrap! ${v.coresLeft < 0 ? 'text-brick' : ''}`}>
                {v.coresLeft.toLocaleString('en')} cores
              </td>
              <td className="whitespace-normal!">
                <Mark kind={v.text === 'holds' ? 'done' : v.stays ? 'failing' : 'half'} /> {v.text}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Changes of the charter that were rehearsed, the one that gains most first. */
function Helps({
  list,
  may,
  why,
  onTry,
}: {
  list: readonly Tried[];
  may: boolean;
  why: string | undefined;
  onTry: (t: Tried) => void;
}) {
  return (
    <section aria-label="What helps most" className="pt-5">
      <h2 className="pb-1 text-lg">
        What helps most{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          tried in the charter, and every host lost once more
        </span>
      </h2>
      {list.length ? (
        <table className="grid-table" aria-label="Changes that help">
          <thead>
            <tr>
              <th>Change</th>
              <th>Longest away</th>
              <th>Hosts whose loss does not mend itself</th>
              <th>Cost</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((t) => (
              <tr key={t.label}>
                <td className="whitespace-normal! font-semibold">{t.label}</td>
                <td>
                  {awayText(t.before.longest)} → {awayText(t.after.longest)}
                </td>
                <td>
                  {t.before.stays} → {t.after.stays}
                </td>
                <td className="whitespace-normal!">{t.cost}</td>
                <td className="text-right">
                  <button
                    type="button"
                    className="text-verdigris hover:underline disabled:text-ink-3"
                    disabled={!may}
                    title={why}
                    onClick={() => onTry(t)}
                  >
                    Try it…
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-ink-2">No timer and no way of placing that is tried here makes an absence shorter.</p>
      )}
    </section>
  );
}
