import type { BundleChanges, BundleTaken, ProposedChange } from '@praesidor/contract';
import type { Collision } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api } from '../../api/client.ts';
import { ChangesTable } from '../../frame/ChangesTable.tsx';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Collisions } from '../../parts/Collisions.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';

interface Choice {
  kind: string;
  key: string;
  path: (string | number)[];
  keep: 'here' | 'there';
}
const nameOf = (c: { kind: string; key: string }, path: readonly (string | number)[]) => `${c.kind} ${c.key} ${path.join('.')}`;
const renew = [['installations'], ['bundle'], ['estate'], ['files'], ['charter']];

/** One bundle of another installation: what it would change here, what both have changed, and whether it is taken in. */
export function BundlePage() {
  const { id = '' } = useParams();
  const { site } = useScope();
  const navigate = useNavigate();
  const leave = useMay();
  const bundle = useQuery({ queryKey: ['bundle', id], queryFn: () => api<BundleChanges>('GET', `/api/bundles/${id}`) });
  const [choices, setChoices] = useState<ReadonlyMap<string, Choice>>(new Map());
  const [asking, setAsking] = useState<'take' | 'leave'>();
  const take = useCall<BundleTaken>(
    () => ({ method: 'POST', path: `/api/bundles/${id}/take-in`, body: { choices: [...choices.values()] } }),
    (t) =>
      `${counted(t.documents, 'document')} changed, ${counted(t.observed, 'observation')} and the evidence of ${counted(t.changes, 'change')} taken in.`,
    renew,
  );
  const leaveOut = useCall<object>(() => ({ method: 'DELETE', path: `/api/bundles/${id}` }), 'The bundle is left out.', renew);
  const b = bundle.data;
  const crumbs = (
    <>
      <Link to={scoped('/estate', site)} className="hover:underline">
        Estate
      </Link>{' '}
      /{' '}
      <Link to={scoped('/estate/installations', site)} className="hover:underline">
        Installations
      </Link>
    </>
  );
  if (!b)
    return (
      <Space space="installations" crumbs={crumbs} title={`Bundle ${id}`} findings={[]}>
        {bundle.error && <Empty title="The bundle cannot be shown">{bundle.error.message}</Empty>}
      </Space>
    );
  const colliding = b.changes.filter((c) => c.collisions.length);
  const open = colliding.flatMap((c) => (c.collisions as Collision[]).filter((x) => !choices.has(nameOf(c, x.path))));
  // One of which only such fields differ as stay as they are here is left as it is.
  const changes = (c: ProposedChange) =>
    c.fields.length > 0 ||
    !c.collisions.length ||
    (c.collisions as Collision[]).some((x) => choices.get(nameOf(c, x.path))?.keep === 'there');
  const waits = b.bundle.state === 'waiting';
  const choose = (c: ProposedChange, path: (string | number)[], keep?: Choice['keep']) =>
    setChoices((all) => {
      const next = new Map(all);
      if (keep) next.set(nameOf(c, path), { kind: c.kind, key: c.key, path, keep });
      else next.delete(nameOf(c, path));
      return next;
    });
  const back = () => void navigate(scoped('/estate/installations', site));
  return (
    <Space
      space="installations"
      crumbs={crumbs}
      title={`Bundle ${b.bundle.number} of ${b.name}`}
      facts={
        <>
          made <When at={b.bundle.made} as="both" /> by {b.bundle.madeBy} · signature and every file verified
        </>
      }
      findings={[]}
      acts={
        waits && (
          <>
            <Button
              disabled={!leave.may('bundles.take-in')}
              title={leave.why('bundles.take-in')}
              onClick={() => setAsking('leave')}
            >
              Leave out…
            </Button>
            <Button
              filled
              disabled={open.length > 0 || !leave.may('bundles.take-in')}
              title={open.length ? 'choose a value for each field first' : leave.why('bundles.take-in')}
              onClick={() => setAsking('take')}
            >
              Take in…
            </Button>
          </>
        )
      }
      extra={
        <>
          <MarginPart title="Newer observations">
            {b.observed.slice(0, 20).map((o) => (
              <div key={`${o.kind} ${o.subject}`} className="flex justify-between gap-2 py-0.5 text-ink-2">
                <span className="min-w-0 truncate">
                  {observed[o.kind] ?? o.kind} {o.subject}
                </span>
                {o.at && <When at={o.at} />}
              </div>
            ))}
            {b.observed.length > 20 && <p className="text-ink-3">and {b.observed.length - 20} more</p>}
            {!b.observed.length && <p className="text-ink-2">Nothing.</p>}
          </MarginPart>
          <MarginPart title="Evidence of changes">
            {b.evidence.map((c) => (
              <div key={c.file} className="py-0.5 text-ink-2">
                {c.charter} {c.number}, {c.title}: {c.state}
                {c.of > 0 && `, ${c.holds} of ${c.of} proved`}
              </div>
            ))}
            {!b.evidence.length && <p className="text-ink-2">None.</p>}
          </MarginPart>
        </>
      }
    >
      <Standing b={b} open={open.length} />
      {colliding.map((c) => {
        const undecided = (c.collisions as Collision[]).filter((x) => !choices.has(nameOf(c, x.path)));
        const decided = (c.collisions as Collision[]).filter((x) => choices.has(nameOf(c, x.path)));
        return (
          <section key={`${c.kind} ${c.key}`} aria-label={`${c.kind} ${c.key} was changed here and there`} className="pt-2">
            <h3 className="font-semibold">
              {c.kind} {c.key}
            </h3>
            {undecided.length > 0 && (
              <Collisions
                list={undecided}
                mine="There"
                by="Here"
                onDecide={(x, whose) => choose(c, x.path, whose === 'mine' ? 'there' : 'here')}
              />
            )}
            {decided.map((x) => (
              <p key={x.path.join('.')} className="flex items-baseline gap-3 py-0.5">
                <span className="mono">{x.path.join('.') || 'the document'}</span>
                <span className="text-ink-2">
                  {choices.get(nameOf(c, x.path))?.keep === 'here' ? 'stays as it is here' : `becomes as it is at ${b.name}`}
                </span>
                <button
                  type="button"
                  className="font-semibold text-verdigris hover:underline"
                  aria-label={`Choose again for ${nameOf(c, x.path)}`}
                  onClick={() => choose(c, x.path)}
                >
                  Choose again
                </button>
              </p>
            ))}
          </section>
        );
      })}
      {b.changes.length > 0 && (
        <>
          <h2 className="pt-3 text-lg">Changes</h2>
          <ChangesTable
            list={b.changes.filter((c) => !c.collisions.length || c.fields.length)}
            before="Here"
            after={`From ${b.name}`}
          />
        </>
      )}
      {asking && (
        <Dialog
          open
          onClose={() => setAsking(undefined)}
          title={
            asking === 'take'
              ? `Take in bundle ${b.bundle.number} of ${b.name}`
              : `Leave out bundle ${b.bundle.number} of ${b.name}`
          }
          about={
            asking === 'take'
              ? 'All of it is taken in as one act, which can be undone; or nothing.'
              : 'It is taken away here, and nothing is changed. The file can be brought again.'
          }
          same={asking === 'take' ? take.call : leaveOut.call}
          acts={
            <>
              <Button onClick={() => setAsking(undefined)}>Cancel</Button>
              <Button
                filled
                disabled={take.isPending || leaveOut.isPending}
                onClick={() => (asking === 'take' ? take : leaveOut).mutate(undefined, { onSuccess: back })}
              >
                {asking === 'take' ? 'Take in' : 'Leave out'}
              </Button>
            </>
          }
        >
          {asking === 'take' && (
            <p>
              {counted(b.changes.filter(changes).length, 'document')} and {counted(b.observed.length, 'observation')} change here
              {choices.size > 0 && `; ${counted(choices.size, 'field')} as chosen`}.
            </p>
          )}
          <Refused error={take.error ?? leaveOut.error} />
        </Dialog>
      )}
    </Space>
  );
}
const observed: Record<string, string> = {
  bills: 'bill',
  registries: 'registry',
  hypervisors: 'hypervisor',
  controllers: 'controller of',
  backups: 'backups of',
  losses: 'losses of',
  zones: 'zone',
};

/** What the next step is, in a sentence: before anything else. */
function Standing({ b, open }: { b: BundleChanges; open: number }) {
  const [tone, text] =
    b.bundle.state === 'taken'
      ? ['border-verdigris', `Taken in by ${b.bundle.takenBy}.`]
      : open
        ? [
            'border-brick',
            `${counted(open, 'field was', 'fields were')} changed here and at ${b.name}. Choose which value stays.`,
          ]
        : b.changes.length
          ? ['border-verdigris', 'Nothing is changed yet. It can be taken in when each change below is right.']
          : [
              'border-verdigris',
              'The plan is the same here and there. What was observed there, and the evidence, can be taken in.',
            ];
  return (
    <p className={`mt-3 border-l-[3px] ${tone} bg-leaf px-3 py-2`} role="status">
      {text} {b.bundle.takenAt && <When at={b.bundle.takenAt} as="both" />}
    </p>
  );
}
