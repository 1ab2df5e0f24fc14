import type { ProposalRow } from '@praesidor/contract';

/** How a proposal stands, in words; `yours`: it waits for whoever looks. */
export function stateOf(
  p: Pick<ProposalRow, 'state' | 'closedBy' | 'asks' | 'approvals' | 'writers'>,
  login: string,
): { text: string; why?: string; yours: boolean } {
  if (p.state !== 'open') return { text: `${p.state} by ${p.closedBy}`, yours: false };
  const by = p.approvals.filter((a) => a.holds).map((a) => a.by);
  if (by.length) return { text: `approved by ${by.join(', ')}`, yours: p.writers.includes(login) };
  if (!p.asks) return { text: 'open', yours: false };
  const second = !p.writers.includes(login);
  return { text: 'waits for a second person', why: `${p.asks} asks for one`, yours: second };
}
