import type { LastRun } from '@praesidor/contract';
import { openStates } from '@praesidor/core/schedule';

/** Whether a run is under way, or was broken off and can be gone on with. */
export function runState(last: LastRun | undefined): { open: boolean; broken: boolean } {
  const state = last?.status.state;
  return {
    open: state !== undefined && (openStates as readonly string[]).includes(state),
    // One that was stopped before it was approved does not go on.
    broken: (state === 'failed' || state === 'stopped') && last?.approval !== 'asked',
  };
}
