import type { BuildSummary } from '@praesidor/contract';
import { stateText, underWay } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useBuilds, useSaid, useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { clock, span } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { scoped, useScope } from '../../state/scope.ts';

/** Rows that are drawn at once. */
const atOnce = 100;

const shows = {
  all: { label: 'All', fits: () => true },
  open: { label: 'Under way', fits: underWay },
  failed: { label: 'Failed', fits: (b) => b.failed > 0 || b.state === 'failed' },
} satisfies Record<string, { label: string; fits: (b: BuildSummary) => boolean }>;
type Show = keyof typeof shows;

export function BuildsSpace() {
  const builds = useBuilds();
  const said = useSaid().data;
  const { site } = useScope();
  const [show, setShow] = useState<Show>('all');
  const [text, setText] = useState('');
  const [most, setMost] = useState(atOnce);
  const all = (builds.data ?? []).filter((b) => !site || b.site === site);
  const wanted = text.trim().toLowerCase();
  const shown = all.filter(
    (b) =>
      shows[show].fits(b) &&
      (!wanted || `${b.charter} ${b.title} ${b.createdBy} ${b.broke ?? ''}`.toLowerCase().includes(wanted)),
  );
  const open = all.filter(underWay);
  const waiting = open.filter((b) => b.waits).length;
  const facts = [
    counted(all.length, 'build'),
    ...(open.length ? [`${open.length - waiting} under way`] : []),
    ...(waiting ? [`${waiting} waiting for their turn`] : []),
    ...(said && said.of >= 5 ? [`${said.within} of the last ${said.of} ended within the time said at their begin`] : []),
  ].join(' · ');
  return (
    <Space space="builds" title="Builds" facts={facts} findings={[]}>
      {all.length === 0 ? (
        builds.data && (
          <Empty title="Nothing has been built yet">
            A charter that nothing stops can be built from its sheet; what is done to a cluster later stands here too.
          </Empty>
        )
      ) : (
        <>
          <div className="flex items-center gap-3 pt-2">
            <input
              aria-label="Filter"
              placeholder="cluster, what, by, failed step"
              className="w-72 rounded-[3px] border border-rule-2 bg-leaf px-2 py-1"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
            <div role="radiogroup" aria-label="Shown" className="flex gap-1">
              {(Object.keys(shows) as Show[]).map((key) => (
                <button
                  key={key}
                  type="button"
                  role="radio"
                  aria-checked={show === key}
                  className={`rounded-[3px] px-2.5 py-1 ${show === key ? 'bg-sunk font-semibold' : 'text-ink-2 hover:underline'}`}
                  onClick={() => setShow(key)}
                >
                  {shows[key].label} {all.filter(shows[key].fits).length}
                </button>
              ))}
            </div>
          </div>
          <Table builds={shown.slice(0, most)} />
          {shown.length > most && (
            <Button className="mt-2" onClick={() => setMost(most + atOnce)}>
              Show {Math.min(atOnce, shown.length - most)} more of {shown.length}
            </Button>
          )}
          {!shown.length && <p className="pt-3 text-ink-2">None of them fits.</p>}
        </>
      )}
    </Space>
  );
}

function Table({ builds }: { builds: readonly BuildSummary[] }) {
  const navigate = useNavigate();
  const { site } = useScope();
  const titles = new Map(useSnapshot().data?.estate.sites.map((s) => [s.name, s.title]));
  return (
    <table className="grid-table mt-2" aria-label="Builds">
      <thead>
        <tr>
          <th>Cluster</th>
          <th>No.</th>
          <th>What</th>
          {!site && <th>Site</th>}
          <th>Began</th>
          <th>By</th>
          <th>Steps</th>
          <th>Took</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        {builds.map((b) => {
          const to = scoped(`/builds/${b.charter}/${b.number}`, site);
          return (
            <tr
              key={`${b.charter} ${b.number}`}
              data-row
              tabIndex={0}
              className="cursor-pointer"
              onClick={() => void navigate(to)}
              onKeyDown={(e) => {
                if (e.key === 'Enter') void navigate(to);
              }}
            >
              <td className="font-semibold">{b.charter}</td>
              <td>{b.number}</td>
              <td>{b.title}</td>
              {!site && <td className="text-ink-2">{titles.get(b.site) ?? b.site}</td>}
              <td className="mono">
                <When at={b.createdAt} as="both" />
              </td>
              <td>{b.createdBy}</td>
              <td>
                {b.done} of {b.of}
                {b.skipped > 0 && <span className="text-ink-2">, {b.skipped} skipped</span>}
              </td>
              <td>{b.begun && b.ended ? span(Date.parse(b.ended) - Date.parse(b.begun)) : ''}</td>
              <td>
                <Mark kind={b.state === 'done' ? 'done' : b.failed ? 'failing' : 'half'} /> <State build={b} />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What is the matter with it comes first; what healed by itself is said quietly. */
function State({ build: b }: { build: BuildSummary }) {
  if (b.asks) return <span className="font-semibold text-ochre">waits for approval</span>;
  if (b.waits) return <span className="text-ink-2">waits for its turn</span>;
  const broke = b.broke && <span className="text-brick"> at {b.broke}</span>;
  if (underWay(b))
    return (
      <>
        {stateText[b.state]}
        {broke ? (
          <span className="text-brick">, failed{broke}</span>
        ) : (
          b.end !== undefined && <span className="text-ink-2">, ends {clock(b.end)}</span>
        )}
      </>
    );
  return (
    <>
      {stateText[b.state]}
      {b.state === 'failed' && broke}
      {b.state === 'done' && b.healed > 0 && <span className="text-ink-2">, {counted(b.healed, 'step')} healed</span>}
    </>
  );
}
