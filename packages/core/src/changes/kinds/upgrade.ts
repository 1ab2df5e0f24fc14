import { moveFault } from '../../images/versions.ts';
import type { Between, ChangeKind } from '../change.ts';
import { awayInPlace, guestsLose, inPlaceSteps } from './in-place.ts';

const nodes = (b: Between) => b.behind.map((x) => x.node);

function refused(b: Between): string[] {
  const to = b.estate.releases.find((r) => r.name === b.plan.charter.release);
  const why: string[] = [];
  for (const name of [...new Set(b.behind.map((x) => x.release))]) {
    const from = b.estate.releases.find((r) => r.name === name);
    const fault = from && to && moveFault(from, to);
    if (!from) why.push(`release ${name}, which hosts have, is not declared any more`);
    if (!fault || !to) continue;
    why.push(
      fault === 'down'
        ? `${to.name} is older than ${name}, which hosts have`
        : `there is no step from ${name} to ${to.name}: no releases in between lead there one minor version at a time`,
    );
  }
  if (b.joins.length || b.leaves.length)
    why.push('hosts come or go as well: do that first, with the release as it was, or afterwards');
  why.push(...guestsLose(b, nodes(b)));
  return why;
}

/** From the release that hosts have to the one that the charter names. */
export const upgrade: ChangeKind = {
  kind: 'upgrade',
  label: 'Upgrade',
  due: (b) => b.behind.length > 0,
  installs: nodes,
  title: (b) => {
    const last = b.installed.further?.at(-1);
    return `Upgrade ${b.plan.charter.name} to ${b.plan.charter.release}${last ? `, on the way to ${last}` : ''}`;
  },
  steps: (b, known) => inPlaceSteps(b, nodes(b), known),
  refused,
  further: (b) => [...(b.installed.further ?? [])],
  away: (b) => awayInPlace(b, nodes(b)),
  point: (_, steps) => {
    const first = steps.find((s) => s.kind === 'control-plane');
    return (
      first && {
        step: first.id,
        text: `the API of ${first.host} writes as the new release does; the way back is the backup of etcd`,
      }
    );
  },
};
