import { kube } from '@praesidor/protocols/kube';
import { StepFailure, type StepRunner } from '../step.ts';
import { letRest, switchOff } from './switch-off.ts';

/** Switches a host off, takes it out of the cluster, and lets it rest until it is wiped. */
export const leave: StepRunner = {
  kind: 'leave',
  run: async (context) => {
    const { step, estate, kube: k, log } = context;
    const host = estate.hosts.find((h) => h.name === step.host);
    if (!host) throw new StepFailure(`there is no host ${step.host}`);
    await switchOff(context, host);
    await kube(k(), `/api/v1/nodes/${host.name}`, { method: 'DELETE' });
    await log('taken out of the cluster');
    await letRest(context, host.name);
    return 'off, and rests until it is wiped';
  },
};
