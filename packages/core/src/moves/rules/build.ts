import { counted } from '../../words/amounts.ts';
import type { MoveRule, Said } from '../move.ts';

/** Clusters that do not stand yet: what failed, what was stopped, what goes on, what nothing stops. */
export const build: MoveRule = ({ site, unbuilt, findings, short, built, hosts }) =>
  unbuilt.flatMap((c): Said[] => {
    const q = `site=${site.name}`;
    const b = built[c.name];
    const open = b && `/builds/${c.name}/${b.number}?${q}`;
    if (b?.failed)
      return [
        {
          stage: 'mend',
          text: `build ${b.number} of ${c.name}: ${b.failed} failed; mend it and retry`,
          label: 'Open the build',
          go: open as string,
        },
      ];
    // Taken down: nothing is built over what lies on the drives.
    const kept = hosts.filter((h) => h.held?.charter === c.name && h.state === 'held' && h.held.installed).length;
    if (kept && !(b && ['queued', 'running', 'paused'].includes(b.state)))
      return [
        {
          stage: 'build',
          text: `${c.name} was taken down: ${counted(kept, 'host is', 'hosts are')} still held for it, off`,
          label: 'Give back',
          go: `/clusters/${c.name}/change?kind=give-back&${q}`,
        },
      ];
    if (findings.some((f) => f.severity === 'stop' && f.charters.includes(c.name) && f.code !== 'CHT-005')) return [];
    if (!short && (b?.state === 'failed' || b?.state === 'stopped'))
      return [
        {
          stage: 'build',
          text: `build ${b.number} of ${c.name} ${b.state === 'stopped' ? 'was stopped' : 'failed'}; resume it`,
          label: 'Open the build',
          go: open as string,
        },
      ];
    if (b && ['queued', 'running', 'paused'].includes(b.state))
      return [{ stage: 'build', text: `${c.name} is being built`, label: 'Watch', go: open as string }];
    if (findings.some((f) => f.code === 'CHT-005' && f.subject.name === c.name)) return [];
    return [{ stage: 'build', text: `${c.name} can be built: nothing stops it`, label: 'Build', go: `/clusters/${c.name}?${q}` }];
  });
