import { StepFailure, type StepRunner } from '../step.ts';
import { standDown, switchOff } from './switch-off.ts';

/** Switches a host off, with whatever runs on it. */
export const off: StepRunner = {
  kind: 'off',
  run: async (s) => {
    const host = s.estate.hosts.find((h) => h.name === s.step.host);
    if (!host) throw new StepFailure(`there is no host ${s.step.host}`);
    await switchOff(s, host);
    await standDown(s, host.name);
    return 'off, and held until it is given back';
  },
};
