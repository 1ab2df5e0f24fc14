import type { ProposalRow, WaitingRun } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { Link } from 'react-router';
import { useApprovals, useMe, useProposals } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { ApproveDialog } from './ApproveDialog.tsx';
import { stateOf } from './proposal-state.ts';

/** What waits for a second person, the changes that people keep as drafts, and what became of earlier ones. */
export function ProposalsSpace() {
  const { site } = useScope();
  const login = useMe().data?.login ?? '';
  const proposals = useProposals();
  const runs = useApprovals().data ?? [];
  const [approving, setApproving] = useState<WaitingRun>();
  const here = (p: { sites: readonly string[] }) => !site || !p.sites.length || p.sites.includes(site);
  const all = (proposals.data ?? []).filter(here);
  const open = all.filter((p) => p.state === 'open');
  const over = all.filter((p) => p.state !== 'open');
  const waiting = runs.filter((r) => !site || r.site === site);
  return (
    <Space
      space="proposals"
      crumbs={
        <Link to={scoped('/estate', site)} className="hover:underline">
          Estate
        </Link>
      }
      title="Proposals"
      facts={`${counted(open.length, 'open proposal')}${waiting.length ? ` · ${counted(waiting.length, 'change waits', 'changes wait')} for approval` : ''}`}
      findings={[]}
      acts={
        <LinkButton filled to={scoped('/declare', site)}>
          New proposal…
        </LinkButton>
      }
    >
      <Refused error={proposals.error} />
      {waiting.length > 0 && <Waiting list={waiting} login={login} onApprove={setApproving} />}
      {proposals.data && !all.length && !waiting.length && (
        <Empty
          title="Nothing is proposed"
          act={
            <LinkButton filled to={scoped('/declare', site)}>
              Declare documents…
            </LinkButton>
          }
        >
          Every dialog that changes the plan can keep the change as a proposal instead. Others see it and comment on it; it is
          made as one act. A site or a team can ask that a second person approves each.
        </Empty>
      )}
      {open.length > 0 && (
        <>
          {waiting.length > 0 && <h2 className="pt-5 text-lg">Proposals</h2>}
          <List label="Open proposals" list={open} login={login} />
        </>
      )}
      {over.length > 0 && (
        <details className="pt-5" open={!open.length && !waiting.length}>
          <summary className="cursor-pointer font-serif text-lg">{counted(over.length, 'proposal')} made or withdrawn</summary>
          <List label="Proposals made or withdrawn" list={over} login={login} />
        </details>
      )}
      {approving && <ApproveDialog run={approving} onClose={() => setApproving(undefined)} />}
    </Space>
  );
}

function List({ label, list, login }: { label: string; list: readonly ProposalRow[]; login: string }) {
  const { site } = useScope();
  return (
    <table className="grid-table mt-2" aria-label={label}>
      <thead>
        <tr>
          <th>Proposal</th>
          <th>Written by</th>
          <th>Changes</th>
          <th>State</th>
          <th>Comments</th>
          <th>Last changed</th>
        </tr>
      </thead>
      <tbody>
        {list.map((p) => {
          const state = stateOf(p, login);
          return (
            <tr key={p.id} data-row tabIndex={-1}>
              <td className="max-w-[330px] whitespace-normal!">
                <Link className="font-semibold hover:underline" to={scoped(`/proposals/${p.id}`, site)}>
                  {p.title}
                </Link>
                <span className="block text-ink-2 text-sm">
                  {p.id}
                  {p.why && `: ${p.why}`}
                </span>
              </td>
              <td>{p.writers.join(', ')}</td>
              <td className="whitespace-normal!">
                {counted(p.documents, 'document')}
                {p.sites.length > 0 && <span className="block text-ink-2 text-sm">{p.sites.join(', ')}</span>}
              </td>
              <td className="whitespace-normal!">
                <span className={state.yours ? 'font-semibold text-ochre' : ''}>{state.text}</span>
                {state.why && <span className="block text-ink-2 text-sm">{state.why}</span>}
              </td>
              <td>{p.comments || ''}</td>
              <td>
                <When at={p.closedAt ?? p.updatedAt} as="both" />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Waiting(of: { list: readonly WaitingRun[]; login: string; onApprove: (run: WaitingRun) => void }) {
  const { site } = useScope();
  const leave = useMay();
  return (
    <>
      <h2 className="pt-4 text-lg">Changes that wait for approval</h2>
      <table className="grid-table mt-1" aria-label="Changes that wait for approval">
        <thead>
          <tr>
            <th>Change</th>
            <th>Site</th>
            <th>Begun by</th>
            <th>Since</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {of.list.map((r) => (
            <tr key={r.id} data-row tabIndex={-1}>
              <td className="font-semibold">
                {r.charter ? (
                  <Link className="hover:underline" to={scoped(`/builds/${r.charter}/${r.number}`, site)}>
                    {r.title}
                  </Link>
                ) : (
                  r.title
                )}
                <span className="block font-normal text-ink-2 text-sm">{counted(r.steps, 'step')}</span>
              </td>
              <td>{r.site}</td>
              <td>{r.by}</td>
              <td>
                <When at={r.at} as="both" />
              </td>
              <td className="text-right">
                {r.by === of.login ? (
                  <span className="text-ink-2">somebody else approves it</span>
                ) : (
                  <Button
                    disabled={!leave.may('proposals.approve')}
                    title={leave.why('proposals.approve')}
                    onClick={() => of.onApprove(r)}
                  >
                    Approve…
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
