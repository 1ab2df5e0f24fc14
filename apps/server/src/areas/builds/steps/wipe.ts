import { wiping } from '../../hosts/work/wipe.ts';
import { StepFailure, type StepRunner } from '../step.ts';
import { letRest } from './switch-off.ts';

/** Gives a host back: it rests, and nothing of it is used before it is wiped. */
export const rest: StepRunner = {
  kind: 'rest',
  run: async (s) => {
    await letRest(s, s.step.host ?? '');
    return 'rests until it is wiped';
  },
};

/** Wipes it, as work on hosts does; what its drives answer is kept with the host as the proof. */
export const wipe: StepRunner = {
  kind: 'wipe',
  run: async ({ ctx, build, step, signal, progress, knows, remember }) => {
    if (!step.host) throw new StepFailure('no host');
    return wiping.run({
      ctx,
      host: step.host,
      who: build.runBy ?? build.createdBy,
      signal,
      asked: {},
      knows,
      remember,
      progress: (percent, text) => progress(percent, 100, text),
    });
  },
};
