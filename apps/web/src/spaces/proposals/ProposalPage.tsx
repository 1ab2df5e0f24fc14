import type { ProposedChange, WholeProposal } from '@praesidor/contract';
import { type Collision, type Doc, type Edit, keyOf } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useId, useMemo, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useMe, useProposal } from '../../api/queries.ts';
import { ChangesTable } from '../../frame/ChangesTable.tsx';
import { MarginPart } from '../../frame/Margin.tsx';
import { NoLonger, usePreview } from '../../frame/Preview.tsx';
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

const renew = [['proposals'], ['estate'], ['charter'], ['files']];
const acts = {
  approve: {
    title: 'Approve',
    about: 'You have read each change below. The approval ends when the proposal does something else than now.',
    done: 'Approved.',
  },
  make: {
    title: 'Make the changes',
    about: 'All of them are made as one act, which can be undone; or none of them.',
    done: 'The changes are made.',
  },
  withdraw: { title: 'Withdraw', about: 'It stays here to be read, and is not made any more.', done: 'Withdrawn.' },
  'take-approval-back': {
    title: 'Take the approval back',
    about: 'It is not made before somebody else has approved it.',
    done: 'The approval is taken back.',
  },
} as const;
type Act = keyof typeof acts;

/** One proposal: what it changes in what stands now, what would be found then, what people say of it, and what is to be done with it. */
export function ProposalPage() {
  const { id = '' } = useParams();
  const { site } = useScope();
  const login = useMe().data?.login ?? '';
  const proposal = useProposal(id);
  const p = proposal.data;
  const [asking, setAsking] = useState<Act>();
  const edits = useMemo(() => (p?.state === 'open' ? editsOf(p.changes) : []), [p]);
  const preview = usePreview(edits);
  // Nothing of it stands yet, so a remedy that edits has nothing to edit.
  const findings = useMemo(
    () => (preview.data?.added ?? []).map((f) => (f.remedy?.edits ? { ...f, remedy: undefined } : f)),
    [preview.data],
  );
  const leave = useMay();
  const crumbs = (
    <>
      <Link to={scoped('/estate', site)} className="hover:underline">
        Estate
      </Link>{' '}
      /{' '}
      <Link to={scoped('/proposals', site)} className="hover:underline">
        Proposals
      </Link>
    </>
  );
  if (!p)
    return (
      <Space space="proposals" crumbs={crumbs} title={`Proposal ${id}`} findings={[]}>
        {proposal.error && <Empty title="There is no such proposal">{proposal.error.message}</Empty>}
      </Space>
    );
  const open = p.state === 'open';
  const mine = p.writers.includes(login);
  const approved = p.approvals.filter((a) => a.holds);
  const own = p.approvals.some((a) => a.by === login);
  const collide = p.changes.filter((c) => c.collisions.length);
  const ready = open && !collide.length && p.changes.length > 0;
  const lacks = p.asks !== null && !approved.length;
  return (
    <Space
      space="proposals"
      crumbs={crumbs}
      title={p.title}
      facts={`${counted(p.documents, 'document')} · written by ${p.writers.join(', ')}`}
      findings={open ? findings : []}
      foot={open ? 'The margin shows what the checks would find that they do not find now.' : undefined}
      acts={
        open && (
          <>
            {(mine || leave.may('accounts.manage')) && <Button onClick={() => setAsking('withdraw')}>Withdraw…</Button>}
            {own ? (
              <Button onClick={() => setAsking('take-approval-back')}>Take approval back…</Button>
            ) : (
              !mine && (
                <Button
                  filled={lacks}
                  disabled={!ready || !leave.may('proposals.approve')}
                  title={leave.why('proposals.approve')}
                  onClick={() => setAsking('approve')}
                >
                  Approve…
                </Button>
              )
            )}
            <Button
              filled={!lacks}
              disabled={!ready || lacks || !leave.may('plan.edit')}
              title={lacks ? 'a second person approves it first' : leave.why('plan.edit')}
              onClick={() => setAsking('make')}
            >
              Make the changes…
            </Button>
          </>
        )
      }
      extra={
        <MarginPart title="Approvals">
          {p.approvals.map((a) => (
            <div key={a.by} className="flex justify-between gap-2 py-0.5 text-ink-2">
              <span>
                {a.by}
                {!a.holds && ', of what it was before'}
              </span>
              <When at={a.at} />
            </div>
          ))}
          {!p.approvals.length && <p className="text-ink-2">Nobody has approved it.</p>}
        </MarginPart>
      }
    >
      {p.why && <p className="max-w-[760px] pt-3">{p.why}</p>}
      <Standing p={p} mine={mine} collide={collide.length} lacks={lacks} />
      {open && collide.length > 0 && <Collide list={collide} id={id} disabled={!leave.may('proposals.write')} />}
      <h2 className="pt-3 text-lg">Changes</h2>
      {/* Whoever changes it is one of its writers, and approves it no more. */}
      <Changes p={p} id={id} open={open && mine && leave.may('proposals.write')} />
      {p.standing > 0 && (
        <p className="pt-1 text-ink-2">{counted(p.standing, 'document stands', 'documents stand')} as wanted already.</p>
      )}
      {open && preview.data && <NoLonger found={preview.data} />}
      <Said p={p} id={id} open={open && leave.may('proposals.write')} />
      {asking && <Ask act={asking} p={p} onClose={() => setAsking(undefined)} />}
    </Space>
  );
}

/** What the next step is, in a sentence: before anything else. */
function Standing({ p, mine, collide, lacks }: { p: WholeProposal; mine: boolean; collide: number; lacks: boolean }) {
  const by = p.approvals.filter((a) => a.holds).map((a) => a.by);
  const [tone, text] =
    p.state !== 'open'
      ? ['border-rule-2', `${p.state === 'made' ? 'Made' : 'Withdrawn'} by ${p.closedBy}.`]
      : collide
        ? [
            'border-brick',
            `${counted(collide, 'document was', 'documents were')} changed by somebody else too. Choose a value for each field below.`,
          ]
        : !p.changes.length
          ? ['border-rule-2', 'All of it stands as wanted already. Withdraw it.']
          : lacks
            ? [
                'border-ochre',
                `${p.asks?.replace(/^t/, 'T')} asks for a second person. ${mine ? 'Somebody else who may make these changes approves them; you wrote some of them.' : 'Approve it if each change below is right.'}`,
              ]
            : by.length
              ? ['border-verdigris', `Approved by ${by.join(', ')}. It can be made.`]
              : ['border-verdigris', 'It can be made by anybody who may make these changes.'];
  return (
    <p className={`mt-3 border-l-[3px] ${tone} bg-leaf px-3 py-2`} role="status">
      {text} {p.closedAt && <When at={p.closedAt} as="both" />}
    </p>
  );
}

function Collide({ list, id, disabled }: { list: readonly ProposedChange[]; id: string; disabled: boolean }) {
  const decide = useCall<object, object>((body) => ({ method: 'POST', path: `/api/proposals/${id}/decide`, body }), '', renew);
  return (
    <>
      {list.map((c) => (
        <section key={`${c.kind} ${c.key}`} aria-label={`${c.kind} ${c.key} was changed by two people`} className="pt-2">
          <h3 className="font-semibold">
            {c.kind} {c.key}
          </h3>
          <Collisions
            list={c.collisions as Collision[]}
            mine="Proposed"
            disabled={disabled || decide.isPending}
            onDecide={(x, whose) =>
              decide.mutate({ kind: c.kind, key: c.key, path: x.path, keep: whose === 'mine' ? 'proposed' : 'standing' })
            }
          />
        </section>
      ))}
      <Refused error={decide.error} />
    </>
  );
}

function Changes({ p, id, open }: { p: WholeProposal; id: string; open: boolean }) {
  const leaveOut = useCall<object, object>(
    (body) => ({ method: 'POST', path: `/api/proposals/${id}/leave-out`, body }),
    '',
    renew,
  );
  return (
    <ChangesTable
      list={p.changes}
      before={p.state === 'open' ? 'Stands' : 'Stood'}
      after={p.state === 'open' ? 'Will be' : 'Proposed'}
      act={
        open && p.changes.length > 1
          ? (c) => (
              <button
                type="button"
                className="font-semibold text-verdigris hover:underline"
                aria-label={`Leave out ${c.kind} ${c.key}`}
                disabled={leaveOut.isPending}
                onClick={() => leaveOut.mutate({ kind: c.kind, key: c.key })}
              >
                Leave out
              </button>
            )
          : undefined
      }
    />
  );
}

function Said({ p, id, open }: { p: WholeProposal; id: string; open: boolean }) {
  const field = useId();
  const [text, setText] = useState('');
  const say = useCall<object>(
    () => ({ method: 'POST', path: `/api/proposals/${id}/comments`, body: { text: text.trim() } }),
    '',
    renew,
  );
  return (
    <section aria-label="Comments" className="max-w-[760px] pt-5">
      <h2 className="text-lg">Comments</h2>
      {!p.said.length && <p className="text-ink-2">Nobody has commented on it.</p>}
      {p.said.map((s) => (
        <div key={s.id} className="border-rule border-b py-1.5">
          <span className="font-semibold">{s.by}</span>{' '}
          <span className="text-ink-2 text-sm">
            <When at={s.at} as="both" />
          </span>
          <p className="wrap-anywhere whitespace-pre-line">{s.text}</p>
        </div>
      ))}
      {open && (
        <div className="pt-2">
          <label htmlFor={field} className="text-ink-2">
            Your comment
          </label>
          <textarea
            id={field}
            rows={3}
            maxLength={2000}
            value={text}
            onChange={(e) => setText(e.target.value)}
            className="mt-1 block w-full border border-rule-2 bg-leaf px-2 py-1"
          />
          <Button
            className="mt-2"
            disabled={!text.trim() || say.isPending}
            onClick={() => say.mutate(undefined, { onSuccess: () => setText('') })}
          >
            Comment
          </Button>
          <Refused error={say.error} />
        </div>
      )}
    </section>
  );
}

function Ask({ act, p, onClose }: { act: Act; p: WholeProposal; onClose: () => void }) {
  const { title, about, done } = acts[act];
  const seen = act === 'approve' || act === 'make';
  const perform = useCall<{ act?: number }>(
    () => ({ method: 'POST', path: `/api/proposals/${p.id}/${act}`, ...(seen ? { body: { digest: p.digest } } : {}) }),
    done,
    renew,
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`${title}: ${p.title}`}
      about={about}
      same={perform.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={perform.isPending} onClick={() => perform.mutate(undefined, { onSuccess: onClose })}>
            {title}
          </Button>
        </>
      }
    >
      <p>
        {counted(p.changes.length, 'document')}
        {p.sites.length > 0 && `, at ${p.sites.join(', ')}`}:{' '}
        {p.changes
          .slice(0, 12)
          .map((c) => `${c.kind} ${c.key}`)
          .join(', ')}
        {p.changes.length > 12 && ` and ${p.changes.length - 12} more`}.
      </p>
      <Refused error={perform.error} />
    </Dialog>
  );
}

/** The same as edits, for what the checks would say. */
const editsOf = (changes: readonly ProposedChange[]): Edit[] =>
  changes
    .filter((c) => !c.collisions.length)
    .map((c): Edit => {
      const after = c.after as Doc | null;
      return after ? { op: 'put', doc: after } : { op: 'drop', kind: (c.before as Doc).kind, key: keyOf(c.before as Doc) };
    });
