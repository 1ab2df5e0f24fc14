import type { BuildTimes } from '@praesidor/contract';
import { compared, type KindCompared, slowerSince, type StepKind } from '@praesidor/core/schedule';
import { Link, useParams } from 'react-router';
import { type BuildWhole, useBuild, useBuilds, useBuildTimes } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { span } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { scoped, useScope } from '../../state/scope.ts';

const nameOf = (b: { charter: string; number: number }) => `${b.charter} ${b.number}`;

/** Two builds side by side: what was slower, on which host, and since when. */
export function CompareSpace() {
  const { charter = '', number = '' } = useParams();
  const { params, setParams, site } = useScope();
  const builds = useBuilds();
  const times = useBuildTimes();
  const others = (builds.data ?? []).filter((b) => !(b.charter === charter && String(b.number) === number) && b.begun);
  const own = builds.data?.find((b) => b.charter === charter && String(b.number) === number);
  // Without a choice: the last before it of the same kind, of the same cluster where there is one.
  const usual = [...others]
    .filter((b) => !own || b.createdAt < own.createdAt)
    .sort(
      (a, b) =>
        Number(b.charter === charter) - Number(a.charter === charter) ||
        Number(b.kind === own?.kind) - Number(a.kind === own?.kind),
    )[0];
  const asked = others.find((b) => nameOf(b) === params.get('with')) ?? usual ?? others[0];
  const one = useBuild(charter, number);
  const other = useBuild(asked?.charter ?? '', String(asked?.number ?? ''));
  const crumbs = (
    <>
      <Link className="hover:underline" to={scoped('/builds', site)}>
        Builds
      </Link>{' '}
      /{' '}
      <Link className="hover:underline" to={scoped(`/builds/${charter}/${number}`, site)}>
        {charter}, {own?.title ?? `build ${number}`}
      </Link>
    </>
  );
  return (
    <Space space="compare" title="Compared" crumbs={crumbs} findings={[]}>
      {builds.data && !others.length ? (
        <Empty title="There is no other build">What took how long is compared as soon as there are two.</Empty>
      ) : (
        <label className="flex items-center gap-2 pt-3">
          with
          <select
            className="rounded-[3px] border border-rule-2 bg-leaf px-2 py-1"
            value={asked ? nameOf(asked) : ''}
            onChange={(e) =>
              setParams((p) => {
                p.set('with', e.target.value);
                return p;
              })
            }
          >
            {others.map((b) => (
              <option key={nameOf(b)} value={nameOf(b)}>
                {b.charter} {b.number}: {b.title}
              </option>
            ))}
          </select>
          {asked && (
            <span className="text-ink-2">
              of <When at={asked.createdAt} as="both" />
            </span>
          )}
        </label>
      )}
      {one.data && asked && other.data?.charter === asked.charter && other.data.number === asked.number && (
        <Tables one={one.data} other={other.data} times={times.data ?? []} />
      )}
    </Space>
  );
}

const seconds = (s: number | undefined) => (s === undefined ? '' : span(s * 1000));
/** How many times as long, in words; what is about the same is said so. */
function times(ratio: number | undefined) {
  if (ratio === undefined) return '';
  if (ratio > 0.9 && ratio < 1.1) return <span className="text-ink-2">about the same</span>;
  return ratio >= 1 ? (
    <span className="font-semibold text-ochre">{ratio.toFixed(1)} times as long</span>
  ) : (
    <span className="text-verdigris">{(1 / ratio).toFixed(1)} times as fast</span>
  );
}

function Tables({ one, other, times: history }: { one: BuildWhole; other: BuildWhole; times: BuildTimes['builds'] }) {
  const { kinds, steps } = compared(one, other);
  const more = (s: (typeof steps)[number]) =>
    s.one !== undefined && s.other !== undefined ? s.one - s.other : Number.NEGATIVE_INFINITY;
  const shown = [...steps].sort((a, b) => more(b) - more(a)).slice(0, 200);
  const head = (b: BuildWhole) => `${b.charter} ${b.number}`;
  return (
    <>
      <h2 className="pt-4 pb-1 text-lg">By kind of step</h2>
      <table className="grid-table" aria-label="By kind of step">
        <thead>
          <tr>
            <th>Step</th>
            <th>{head(one)}, median</th>
            <th>longest</th>
            <th>{head(other)}, median</th>
            <th>longest</th>
            <th>Here</th>
            <th>Slower since</th>
          </tr>
        </thead>
        <tbody>
          {kinds.map((k) => (
            <tr key={k.kind}>
              <td className="font-semibold">
                {k.title}
                {(k.one?.count ?? 0) > 1 && <span className="font-normal text-ink-2"> × {k.one?.count}</span>}
              </td>
              <td>{seconds(k.one?.median)}</td>
              <td className="text-ink-2">{seconds(k.one?.most)}</td>
              <td>{seconds(k.other?.median)}</td>
              <td className="text-ink-2">{seconds(k.other?.most)}</td>
              <td>{times(k.ratio)}</td>
              <td>
                <Since of={k} history={history} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="pt-5 pb-1 text-lg">Step by step</h2>
      <table className="grid-table" aria-label="Step by step">
        <thead>
          <tr>
            <th>Of</th>
            <th>Step</th>
            <th>{head(one)}</th>
            <th>{head(other)}</th>
            <th>Here</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((s) => (
            <tr key={`${s.lane} ${s.kind} ${s.title}`}>
              <td>{s.lane}</td>
              <td>{s.title}</td>
              <td>{seconds(s.one)}</td>
              <td>{seconds(s.other)}</td>
              <td>{times(s.one !== undefined && s.other ? s.one / s.other : undefined)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {steps.length > shown.length && <p className="text-ink-2">The {steps.length - shown.length} others differ least.</p>}
    </>
  );
}

/** From which build on it takes longer, over all that ended well here. */
function Since({ of, history }: { of: KindCompared; history: BuildTimes['builds'] }) {
  const { site } = useScope();
  const own = (kind: StepKind) =>
    history.flatMap((b) => {
      const t = b.kinds.find((k) => k.kind === kind);
      return t ? [{ b, median: t.median }] : [];
    });
  const list = own(of.kind);
  const at = slowerSince(list.map((x) => x.median));
  const first = at === undefined ? undefined : list[at]?.b;
  if (!first) return <span className="text-ink-3">{list.length < 4 ? 'too few builds' : 'no'}</span>;
  return (
    <Link className="text-verdigris hover:underline" to={scoped(`/builds/${first.charter}/${first.number}`, site)}>
      {first.charter} {first.number}
      {first.at && (
        <>
          , <When at={first.at} />
        </>
      )}
    </Link>
  );
}
