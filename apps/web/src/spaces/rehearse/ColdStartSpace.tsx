import {
  afterText,
  circleMeans,
  circleText,
  type ColdStart,
  groupsOf,
  inStopOrder,
  longestWay,
  needsText,
  says,
  type StartCircle,
  type StartRow,
  waitsText,
} from '@praesidor/core/cold-start';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import { CarriedOut } from './CarriedOut.tsx';
import { StartGraph } from './StartGraph.tsx';
import { SubNav } from './SubNav.tsx';

/** A site that lost all power: what starts in which order, who waits for whom, and what never starts by itself. */
export function ColdStartSpace() {
  const { site, inScope, params, setParam: set } = useScope();
  const snapshot = useSnapshot().data;
  const report = useReport();
  const [mending, setMending] = useState<StartCircle>();
  const sites = (snapshot?.estate.sites ?? []).filter((s) => inScope(s.name));
  const asked = params.get('of') ?? '';
  const name = sites.some((s) => s.name === asked) ? asked : (sites[0]?.name ?? '');
  const title = sites.find((s) => s.name === name)?.title ?? name;
  const stops = params.get('order') === 'stop';
  const all = useQuery({
    queryKey: ['cold start', snapshot?.state, name],
    enabled: snapshot !== undefined && name !== '',
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? ((await (await computerWith(snapshot)).coldStart(name)) ?? null) : null),
  }).data;
  const findings = (report.data?.findings ?? []).filter((f) => f.site === name && /^CHT-0(49|50)$/.test(f.code));
  return (
    <Space
      space="cold-start"
      title={stops ? 'Planned stop' : 'Cold start'}
      sheets={<SubNav site={site} />}
      facts={all?.parts.length ? sumText(title, all, stops) : 'what starts when after a loss of all power'}
      findings={findings}
      acts={
        <>
          {sites.length > 1 && (
            <select
              aria-label="Site"
              value={name}
              onChange={(e) => set('of', e.target.value)}
              className="border border-rule-2 bg-leaf px-2 py-1.5 print:hidden"
            >
              {sites.map((s) => (
                <option key={s.name} value={s.name}>
                  {s.title}
                </option>
              ))}
            </select>
          )}
          <Button onClick={() => window.print()}>Print</Button>
        </>
      }
    >
      {snapshot && !sites.length && <Empty title="No site">A site says what stands where. Declare one under Estate.</Empty>}
      {all && !all.parts.length && (
        <Empty title="Nothing to start">{title} has no gateway, no registry and no cluster with hosts yet.</Empty>
      )}
      {all && all.parts.length > 0 && (
        <>
          <div role="radiogroup" aria-label="Order" className="flex pt-2 print:hidden">
            {[
              ['', 'Start after a loss of power'],
              ['stop', 'Planned stop'],
            ].map(([value = '', label]) => (
              <button
                type="button"
                role="radio"
                aria-checked={stops === (value === 'stop')}
                key={label}
                onClick={() => set('order', value)}
                className={`-ml-px border px-2.5 py-1 first:ml-0 ${stops === (value === 'stop') ? 'border-ink bg-ink text-paper' : 'border-rule-2 bg-leaf'}`}
              >
                {label}
              </button>
            ))}
          </div>
          <CarriedOut key={name} site={name} title={title} all={all} to={stops ? 'stop' : 'start'} />
          {all.circles.map((c) => (
            <Circle key={c.parts.map((p) => p.id).join()} circle={c} onMend={() => setMending(c)} />
          ))}
          {stops ? <Stop all={all} /> : <Start all={all} site={site} />}
        </>
      )}
      {mending?.mend && (
        <EditsDialog
          title={mending.mend.label}
          about={`${circleText(mending)}. With this change it does not.`}
          edits={mending.mend.edits}
          why={`Cold start of ${title}: ${mending.mend.label}`}
          onClose={() => setMending(undefined)}
        />
      )}
    </Space>
  );
}

const sumText = (title: string, all: ColdStart, stops: boolean): string =>
  stops
    ? `${title}: everything has stopped after ${afterText(all.stopTotal)}`
    : `${title}: everything is up ${afterText(all.total)} after the power is back`;

function Circle({ circle, onMend }: { circle: StartCircle; onMend: () => void }) {
  return (
    <section
      aria-label="Circle"
      className={`mt-3 border-l-4 bg-leaf px-3 py-2 ${circle.unless ? 'border-ochre' : 'border-brick'}`}
    >
      <p className="font-semibold">{circleText(circle)}</p>
      <ul className="text-ink-2">
        {circle.parts.map((p) => (
          <li key={p.id}>
            {p.title}: {p.why}
          </li>
        ))}
      </ul>
      <p className="pt-1">{circleMeans(circle)}</p>
      {circle.mend && (
        <p className="pt-1">
          <Button onClick={onMend}>{circle.mend.label}…</Button>
        </p>
      )}
    </section>
  );
}

/** Work and volumes of two clusters may have one name. */
const Whose = ({ part }: { part: StartRow }) =>
  part.charter && (part.kind === 'work' || part.kind === 'storage') ? (
    <span className="text-ink-2"> of {part.charter}</span>
  ) : null;

/** The drawing, and the order as a list with its times: for the eye, and for the room. */
function Start({ all, site }: { all: ColdStart; site: string }) {
  const groups = useMemo(() => groupsOf(all), [all]);
  const way = useMemo(() => longestWay(all), [all]);
  const titles = new Map(all.parts.map((p) => [p.id, p.title]));
  const [chosen, setChosen] = useState<string>();
  const members = groups.find((g) => g.id === chosen)?.members;
  const rows = members ? all.parts.filter((p) => members.includes(p.id)) : all.parts;
  // Many that are alike are one line on the screen, and a line each for the room.
  const folded = new Map(
    members ? [] : groups.flatMap((g) => (g.members.length > 2 ? g.members.map((m) => [m, g] as const) : [])),
  );
  return (
    <>
      <StartGraph groups={groups} chosen={chosen} onChoose={setChosen} />
      <h2 className="pt-4 pb-1 text-lg">
        In this order{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          {members ? (
            <>
              {counted(rows.length, 'part')} of {all.parts.length};{' '}
              <button type="button" className="text-verdigris hover:underline" onClick={() => setChosen(undefined)}>
                show all
              </button>
            </>
          ) : (
            `${counted(all.parts.length, 'part')}; in bold, what decides how long it takes`
          )}
        </span>
      </h2>
      <table className="grid-table" aria-label="Order of start">
        <thead>
          <tr>
            <th>After</th>
            <th>What</th>
            <th className="w-1/4 print:hidden">Starts, and is up</th>
            <th>Takes</th>
            <th>Waits for</th>
            <Signed />
          </tr>
        </thead>
        <tbody>
          {rows.map((p) => {
            const group = folded.get(p.id);
            const first = group?.members[0] === p.id;
            const names = group?.members.map((m) => titles.get(m)).join(', ');
            return (
              <Fragment key={p.id}>
                {group && first && (
                  <tr data-row tabIndex={0} className="print:hidden">
                    <td className="whitespace-nowrap!">{afterText(p.begins)}</td>
                    <td className={group.longest ? 'font-semibold' : ''} title={names}>
                      <button type="button" className="text-left hover:underline" onClick={() => setChosen(group.id)}>
                        {group.title}
                        {group.charter && ` of ${group.charter}`}
                      </button>
                      <span className="block max-w-[190px] truncate font-normal text-ink-2 text-sm">{names}</span>
                    </td>
                    <td>
                      <Bar begins={group.begins} up={group.up} total={all.total} heavy={group.longest} />
                    </td>
                    <td className="whitespace-nowrap!">
                      <Takes row={p} />
                    </td>
                    <td className="whitespace-normal!">
                      <Waits all={all} row={p} />
                    </td>
                  </tr>
                )}
                <tr data-row tabIndex={0} className={group ? 'hidden print:table-row' : ''}>
                  <td className="whitespace-nowrap!">{afterText(p.begins)}</td>
                  <td className={way.has(p.id) ? 'font-semibold' : ''}>
                    {p.path ? <Link to={scoped(p.path, site)}>{p.title}</Link> : p.title}
                    <Whose part={p} />
                  </td>
                  <td className="print:hidden">
                    <Bar begins={p.begins} up={p.up} total={all.total} heavy={way.has(p.id)} />
                  </td>
                  <td className="whitespace-nowrap!">
                    <Takes row={p} />
                  </td>
                  <td className="whitespace-normal!">
                    <Waits all={all} row={p} />
                  </td>
                  <Sign />
                </tr>
              </Fragment>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

const Takes = ({ row }: { row: StartRow }) => (
  <>
    {row.takes ? afterText(row.takes) : ''}
    {row.takes > 0 && !row.declared && <span className="text-ink-2"> assumed</span>}
  </>
);
const Waits = ({ all, row }: { all: ColdStart; row: StartRow }) => (
  <>
    {waitsText(all, row)}
    {needsText(all, row)
      .filter(says)
      .map((t) => (
        <span key={t} className={`block text-sm ${t.startsWith('does not') ? 'text-brick' : 'text-ink-2'}`}>
          {t}
        </span>
      ))}
  </>
);
function Bar({ begins, up, total, heavy }: { begins: number; up: number; total: number; heavy: boolean }) {
  const percent = (seconds: number) => `${((100 * seconds) / Math.max(1, total)).toFixed(2)}%`;
  return (
    <span className="relative block h-3.5">
      <span
        className={`absolute inset-y-0 min-w-[2px] ${heavy ? 'bg-ink' : 'bg-verdigris/50'}`}
        style={{ left: percent(begins), width: percent(up - begins) }}
      />
    </span>
  );
}

function Stop({ all }: { all: ColdStart }) {
  const rows = inStopOrder(all);
  return (
    <>
      <h2 className="pt-4 pb-1 text-lg">
        In this order{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          nothing stops before all that was started on it has stopped
        </span>
      </h2>
      <table className="grid-table" aria-label="Order of stop">
        <thead>
          <tr>
            <th>After</th>
            <th>What</th>
            <th>Takes</th>
            <Signed />
          </tr>
        </thead>
        <tbody>
          {rows.map((p) => (
            <tr key={p.id} data-row tabIndex={0}>
              <td className="whitespace-nowrap!">{afterText(p.stopBegins)}</td>
              <td>
                {p.title}
                <Whose part={p} />
              </td>
              <td>{p.stopped > p.stopBegins ? afterText(p.stopped - p.stopBegins) : ''}</td>
              <Sign />
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Room on the printed sheet for when a line was done, and by whom. */
const Signed = () => (
  <>
    <th className="hidden print:table-cell">Done at</th>
    <th className="hidden print:table-cell">Initials</th>
  </>
);
const Sign = () => (
  <>
    <td className="hidden w-20 border-l! print:table-cell" />
    <td className="hidden w-20 border-l! print:table-cell" />
  </>
);
