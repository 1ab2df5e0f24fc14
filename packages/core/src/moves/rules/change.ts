import { counted } from '../../words/amounts.ts';
import { authorityDue, authorityOf, firstEnd, renewFrom } from '../../changes/index.ts';
import type { Charter, Host } from '../../model/documents.ts';
import { nodeCount } from '../../charter/pools.ts';
import type { MoveRule, Said } from '../move.ts';

/**
 * Clusters that stand otherwise than planned, and changes of them that failed. Without their plans: it is asked for every charter, and what is to
 * be done is computed on the page that this leads to.
 */
export const change: MoveRule = ({ site, charters, unbuilt, hosts, findings, built, estate: { now } }) =>
  charters.flatMap((c): Said[] => {
    if (unbuilt.includes(c)) return [];
    const q = `site=${site.name}`;
    const b = built[c.name];
    const open = `/builds/${c.name}/${b?.number}?${q}`;
    if (b?.failed)
      return [
        {
          stage: 'mend',
          text: `change ${b.number} of ${c.name}: ${b.failed} failed; mend it and retry`,
          label: 'Open it',
          go: open,
        },
      ];
    if (b && ['queued', 'running', 'paused'].includes(b.state))
      return [{ stage: 'build', text: `${c.name} is being changed`, label: 'Watch', go: open }];
    if (findings.some((f) => f.severity === 'stop' && f.charters.includes(c.name))) return [];
    const serving = hosts.filter((h) => h.held?.charter === c.name && h.state === 'serving');
    const behind = serving.filter((h) => h.held?.release && h.held.release !== c.release).length;
    const goes = serving.filter((h) => c.except?.includes(h.name)).length;
    if (!behind && !goes && serving.length === nodeCount(c)) {
      const next = authorityMove(c, serving, now);
      if (next)
        return [
          { stage: 'build', text: next, label: 'What is to be done', go: `/clusters/${c.name}/change?kind=authority&${q}` },
        ];
      const end = firstEnd(serving.flatMap((h) => h.held?.certificates ?? []));
      if (end !== undefined && serving.some((h) => h.held?.elsewhere))
        return Date.parse(now) < end - 30 * 86_400_000
          ? []
          : [
              {
                stage: 'build',
                text: `certificates towards ${c.name} end on ${new Date(end).toISOString().slice(0, 10)}: renew them where it was built, and take it in once more`,
                label: 'Take in once more',
                go: '/clusters/existing',
              },
            ];
      if (end === undefined || c.certificates?.byItself || Date.parse(now) < renewFrom(end, c.certificates?.days ?? 365))
        return [];
      return [
        {
          stage: 'build',
          text: `certificates of ${c.name} end on ${new Date(end).toISOString().slice(0, 10)}: renew them`,
          label: 'What is to be done',
          go: `/clusters/${c.name}/change?${q}`,
        },
      ];
    }
    const why = behind
      ? `${behind} of its hosts have another release`
      : `${counted(serving.length, 'host serves', 'hosts serve')}, ${nodeCount(c)} are planned`;
    return [
      {
        stage: 'build',
        text: `${c.name} stands otherwise than planned: ${goes && !behind ? `${goes} of its hosts ${goes > 1 ? 'are' : 'is'} not to be in it` : why}`,
        label: 'What is to be done',
        go: `/clusters/${c.name}/change?${q}`,
      },
    ];
  });

/** What is to be done about the authorities of a cluster, in a sentence. */
function authorityMove(c: Charter, serving: readonly Host[], now: string): string | undefined {
  const at = authorityOf(serving);
  if (!at || !authorityDue(c, at, Date.parse(now))) return undefined;
  if (at.stage === 1) return `the authority of ${c.name} ends on ${at.ends.slice(0, 10)}: change it`;
  const then = at.stage === 2 ? 'issue by the next one' : 'trust the next one alone';
  return `${c.name} trusts two authorities: hand out its kubeconfig anew, then ${then}`;
}
