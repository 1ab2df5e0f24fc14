import { counted } from '@praesidor/core/words';
import type { Leave } from '../../state/may.ts';

/** Whether a build is offered for a charter, and why not, in the words of the button's title. */
export function offerBuild(leave: Leave, stops: number, pending: boolean): { disabled: boolean; why: string } {
  const why =
    leave.why('builds.run') ||
    (stops ? `${counted(stops, 'finding stops', 'findings stop')} it` : pending ? 'it is being started' : '');
  return { disabled: why !== '', why };
}
