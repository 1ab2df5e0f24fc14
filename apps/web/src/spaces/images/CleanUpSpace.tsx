import type { Scrub as ScrubState } from '@praesidor/contract';
import { handOver, type Retention, suffices } from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import type { Edit, Estate, Registry } from '@praesidor/core/model';
import { billsOf, holdsCount } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useScope } from '../../state/scope.ts';
import { TypedDialog } from '../../parts/TypedDialog.tsx';
import { SubNav } from './SubNav.tsx';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

/** What may go from a registry and why the rest may not; whether what it holds still verifies; what takes over from it. */
export function CleanUpSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const registries = (estate?.registries ?? []).filter((r) => r.role !== 'source');
  const name = params.get('registry') ?? registries.find((r) => inScope(r.site))?.name ?? registries[0]?.name ?? '';
  const registry = registries.find((r) => r.name === name);
  const seen = estate?.observed.registries[name];
  return (
    <Space
      space="away"
      title="Clean up"
      sheets={<SubNav site={site} />}
      facts={
        seen
          ? `${holdsCount(seen)} digests${seen.used === undefined ? '' : `, ${bytesText(seen.used)}`}${seen.free === undefined ? '' : `; room for ${bytesText(seen.free)}`}`
          : 'not looked at yet'
      }
      findings={[]}
      acts={
        <select
          aria-label="registry"
          value={name}
          onChange={(e) =>
            setParams((q) => {
              q.set('registry', e.target.value);
              return q;
            })
          }
          className="border border-rule-2 bg-leaf px-2 py-1"
        >
          {registries.map((r) => (
            <option key={r.name}>{r.name}</option>
          ))}
        </select>
      }
      extra={
        estate &&
        registry && (
          <>
            <Suffices registry={registry} estate={estate} />
            <Taking registry={registry} estate={estate} />
          </>
        )
      }
    >
      {registry && estate && (
        <>
          <Deletable key={name} registry={registry} />
          <Scrub registry={registry} />
        </>
      )}
    </Space>
  );
}

function Deletable({ registry }: { registry: Registry }) {
  const [keep, setKeep] = useState(1);
  const [left, setLeft] = useState<string[]>([]);
  const [asking, setAsking] = useState(false);
  const may = useQuery({
    queryKey: ['deletable', registry.name, keep],
    queryFn: () => api<Retention>('GET', `/api/registries/${registry.name}/deletable?keep=${keep}`),
  });
  const take = useCall<{ names: number; blobs: number; bytes: number }, { bills: string[]; names: number }>(
    (b: { bills: string[]; names: number }) => ({
      method: 'POST',
      path: `/api/registries/${registry.name}/delete`,
      body: { ...b, keep },
    }),
    (r) => `${r.names} names and ${r.blobs} blobs are gone from ${registry.name}; ${bytesText(r.bytes)} are free.`,
    [['deletable'], ['estate']],
  );
  const m = may.data;
  const bills = (m?.goes ?? []).map((g) => g.bill).filter((b) => !left.includes(b));
  const names = namesOf(m, bills);
  return (
    <section aria-label="What can be deleted">
      <div className="flex items-baseline gap-3 pt-4 pb-1">
        <h2 className="text-lg">Can be deleted</h2>
        <label className="text-ink-2">
          keep the newest{' '}
          <input
            type="number"
            min={0}
            max={20}
            value={keep}
            onChange={(e) => setKeep(Math.max(0, Math.min(20, Number(e.target.value))))}
            className="set w-12 bg-leaf px-1"
          />{' '}
          releases, used or not
        </label>
      </div>
      <Refused error={may.error ?? take.error} />
      {may.isPending && <p className="text-ink-2">looking…</p>}
      {m && !m.goes.length && <p>Nothing: every bill here is needed by something below.</p>}
      {m?.goes.map((g) => (
        <label key={g.bill} className="grid grid-cols-[20px_180px_1fr_140px] items-center border-rule border-b py-1.5">
          <input
            type="checkbox"
            checked={!left.includes(g.bill)}
            onChange={(e) => setLeft(e.target.checked ? left.filter((b) => b !== g.bill) : [...left, g.bill])}
          />
          <b>{g.bill}</b>
          <span className="text-ink-2">{counted(g.images.length, 'image')} that nothing else names</span>
          <span className="text-right">{bytesText(g.declaredBytes)} of its own</span>
        </label>
      ))}
      {m && m.goes.length > 0 && (
        <div className="flex items-center gap-3 pt-2">
          <span>
            <b>{bytesText(m.free.bytes)}</b> are freed ({m.free.blobs} blobs, {bytesText(m.free.declaredBytes)} as declared) when
            all of it is deleted.
          </span>
          <Button className="ml-auto" disabled={!bills.length || take.isPending} onClick={() => setAsking(true)}>
            Delete {counted(names, 'tag')}…
          </Button>
        </div>
      )}
      <h2 className="pt-4 pb-1 text-lg">Kept</h2>
      {m?.stays.map((s) => (
        <div key={s.bill} className="grid grid-cols-[20px_180px_1fr] items-baseline border-rule border-b py-1.5">
          <Mark kind="done" />
          <b>{s.bill}</b>
          <span>{s.why.join('; ')}</span>
        </div>
      ))}
      {m && m.unknown.length > 0 && (
        <p className="pt-1.5 text-ink-2">
          {counted(m.unknown.length, 'tag is', 'tags are')} in no known bill and not touched:{' '}
          <span className="mono">{m.unknown[0]?.split('@')[0]}</span>
          {m.unknown.length > 1 ? ' and others' : ''}.
        </p>
      )}
      {asking && (
        <TypedDialog
          title={`Delete ${bills.join(', ')} from ${registry.name}`}
          about={`${counted(names, 'tag is', 'tags are')} deleted, and every blob that nothing refers to afterwards. Ship the images again to restore them.`}
          words={registry.name}
          act="Delete"
          onDone={() => take.mutate({ bills, names })}
          onClose={() => setAsking(false)}
          same={() => take.call({ bills, names })}
        />
      )}
    </section>
  );
}

/** Names that go with some of the bills: those that no other bill which may go, and is left, still names. */
function namesOf(m: Retention | undefined, bills: string[]): number {
  const kept = new Set((m?.goes ?? []).filter((g) => !bills.includes(g.bill)).flatMap((g) => g.images));
  return new Set((m?.goes ?? []).filter((g) => bills.includes(g.bill)).flatMap((g) => g.images.filter((i) => !kept.has(i)))).size;
}

/** A registry that reads every blob again: how far it is, and what began or stops it. */
function useScrub(name: string, enabled = true) {
  const scrub = useQuery({
    queryKey: ['scrub', name],
    queryFn: async () => (await api<{ scrub: ScrubState }>('GET', `/api/registries/${name}/scrub`)).scrub,
    refetchInterval: (q) => (q.state.data?.running ? 1000 : false),
    enabled,
    retry: false,
  });
  const act = useCall<{ scrub: ScrubState }, 'POST' | 'DELETE'>(
    (how: 'POST' | 'DELETE') => ({ method: how, path: `/api/registries/${name}/scrub` }),
    '',
    [['scrub', name]],
  );
  return { scrub, act };
}
function Scrub({ registry }: { registry: Registry }) {
  const { scrub, act } = useScrub(registry.name);
  const s = scrub.data;
  return (
    <section aria-label="Scrub">
      <h2 className="pt-4 pb-1 text-lg">Verification of stored content</h2>
      <Refused error={scrub.error} />
      {s && (
        <div className="flex items-center gap-3">
          {s.running ? (
            <>
              <span
                className="h-[14px] w-40 border border-rule-2"
                role="progressbar"
                aria-valuenow={s.done}
                aria-valuemax={s.of}
                aria-label="scrub"
              >
                <span className="block h-full bg-verdigris-tint" style={{ width: `${(100 * s.done) / Math.max(1, s.of)}%` }} />
              </span>
              {s.done} of {s.of} blobs, {bytesText(s.bytes)} read
            </>
          ) : s.endedAt ? (
            <span>
              {s.done} blobs, {bytesText(s.bytes)}, read again <When at={s.endedAt} as="both" />:{' '}
              {s.damaged.length || s.missing.length ? (
                <b className="text-brick">
                  {s.damaged.length} did not verify and were put aside, {s.missing.length} are named and not there
                </b>
              ) : (
                'every one verifies'
              )}
            </span>
          ) : (
            <span className="text-ink-2">
              Every blob is read again and compared with its digest. That was not done since it started.
            </span>
          )}
          <Button className="ml-auto" disabled={act.isPending} onClick={() => act.mutate(s.running ? 'DELETE' : 'POST')}>
            {s.running ? 'Stop' : 'Scrub'}
          </Button>
        </div>
      )}
      {s?.damaged.slice(0, 10).map((d) => (
        <div key={d.digest}>
          <span className="mono">{d.digest.slice(0, 23)}…</span> {d.why}
        </div>
      ))}
      {!!s && !s.running && s.damaged.length + s.missing.length > 0 && (
        <p className="text-ink-2">What is missing now counts as lacking: a shipment brings it again.</p>
      )}
    </section>
  );
}

/** Whether the host that carries it has what it takes for everything that its clusters ask. */
function Suffices({ registry, estate }: { registry: Registry; estate: Estate }) {
  const host = estate.hosts.find((h) => h.name === registry.host);
  if (!host) return null;
  const bills = [...new Set(estate.charters.filter((c) => registry.name === c.mirror).flatMap((c) => billsOf(c)))];
  return (
    <MarginPart title={`Is ${host.name} large enough?`}>
      {suffices(estate, registry, host, bills).map((l) => (
        <div key={l.what} className="flex items-baseline gap-2 border-rule border-b py-1">
          <Mark kind={l.good ? 'done' : 'failing'} />
          <span className="min-w-0 flex-1">
            {l.what}: {l.has}
            <span className="block text-ink-3 text-sm">needs {l.needs}</span>
          </span>
        </div>
      ))}
    </MarginPart>
  );
}

/** The hand-over to a standing registry: content, then cluster by cluster, then the starter may end. */
function Taking({ registry, estate }: { registry: Registry; estate: Estate }) {
  const [to, setTo] = useState('');
  const [edit, setEdit] = useState<{ edits: Edit[]; why: string }>();
  const others = estate.registries.filter((r) => r.role === 'standing' && r.name !== registry.name);
  const standing = others.find((r) => r.name === to);
  const readers = useQuery({
    queryKey: ['pulls', 'readers', registry.name],
    queryFn: () =>
      api<{ pulls: number; hosts: { host: string; last: string }[] }>('GET', `/api/registries/${registry.name}/readers`),
    enabled: standing !== undefined,
    retry: false,
  });
  const reading = useScrub(to, standing !== undefined);
  if (registry.role !== 'starter') return null;
  // Before it is known that nobody reads from it, it is kept.
  const plan = standing && handOver(estate, registry, standing, readers.data?.pulls ?? Number.POSITIVE_INFINITY);
  return (
    <MarginPart title="Replace this registry">
      <p className="text-ink-2">Replace a starter registry with a standing one: content first, then its clusters one by one.</p>
      <select
        aria-label="standing registry"
        value={to}
        onChange={(e) => setTo(e.target.value)}
        className="my-1.5 w-full border border-rule-2 bg-leaf px-2 py-1"
      >
        <option value="">to which one?</option>
        {others.map((r) => (
          <option key={r.name}>{r.name}</option>
        ))}
      </select>
      {plan?.steps.map((s) => (
        <div key={s.what + s.subject} className="flex items-baseline gap-2 border-rule border-b py-1">
          <Mark kind={s.done ? 'done' : s.waits ? 'hatched' : 'free'} />
          <span className="min-w-0 flex-1">
            {s.text}
            {s.waits && <span className="block text-ink-3 text-sm">{s.waits}</span>}
          </span>
          {s.what === 'content' && !s.done && (
            <Link
              className="font-semibold text-verdigris"
              to={`/images?plan=${plan.to}&bills=${plan.bills.join(',')}&from=${plan.from}`}
            >
              Ship it…
            </Link>
          )}
          {s.what === 'proof' && !s.done && !s.waits && (
            <button
              type="button"
              className="font-semibold text-verdigris disabled:text-ink-3"
              disabled={reading.act.isPending || reading.scrub.data?.running}
              onClick={() => reading.act.mutate('POST')}
            >
              Read again
            </button>
          )}
          {s.what === 'cluster' && !s.done && !s.waits && (
            <button
              type="button"
              className="font-semibold text-verdigris"
              onClick={() =>
                setEdit({
                  why: `${s.subject} pulls from ${plan.to}`,
                  edits: [{ op: 'set', kind: 'Charter', key: s.subject, path: ['mirror'], value: plan.to }],
                })
              }
            >
              Switch…
            </button>
          )}
        </div>
      ))}
      {plan && <Refused error={readers.error ?? reading.act.error} />}
      {plan && readers.data?.hosts.length ? (
        <p className="pt-1 text-ink-3 text-sm">
          last read by {readers.data.hosts[0]?.host}, <When at={readers.data.hosts[0]?.last ?? 0} as="both" />
        </p>
      ) : null}
      {edit && (
        <Suspense fallback={null}>
          <EditsDialog title={edit.why} edits={edit.edits} why={edit.why} onClose={() => setEdit(undefined)} />
        </Suspense>
      )}
    </MarginPart>
  );
}
