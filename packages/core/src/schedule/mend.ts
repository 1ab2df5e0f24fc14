import type { Plan } from '../charter/plan.ts';
import type { Step, StepKind } from './steps.ts';

/** Where what a failed step speaks of is looked at and mended. */
export interface MendPlace {
  label: string;
  go: string;
}

const losses = (s: Step): MendPlace => ({ label: 'Open the rehearsal', go: `/rehearse?cluster=${s.model ?? ''}&lost=${s.lane}` });
const volumes = (s: Step): MendPlace => ({ label: 'Open its volumes', go: `/clusters/${s.model ?? ''}?tab=volumes` });
const shipments = (): MendPlace => ({ label: 'Open the shipments', go: '/images/shipments' });
const places: Record<StepKind, (step: Step, plan: Pick<Plan, 'charter' | 'mirror'>) => MendPlace> = {
  preflight: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}` }),
  names: () => ({ label: 'Open Names', go: '/addresses/names' }),
  cast: () => ({ label: 'Open the hypervisors', go: '/hosts/hypervisors' }),
  power: (s) => host(s),
  system: (s) => host(s),
  images: (_, { mirror }) => ({ label: 'Where is it pulled from?', go: imagesAt(mirror?.name) }),
  'control-plane': (s) => host(s),
  api: (_, { charter }) => ({ label: 'Open its files', go: `/clusters/${charter.name}?tab=files` }),
  quorum: (s) => host(s),
  'pod-network': (_, { charter }) => ({ label: 'Open its files', go: `/clusters/${charter.name}?tab=files` }),
  worker: (s) => host(s),
  inbound: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}?field=inbound.address` }),
  drain: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}` }),
  backup: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}` }),
  member: (s) => host(s),
  files: (s) => host(s),
  leave: (s) => host(s),
  off: (s) => host(s),
  release: () => ({ label: 'Open Addresses', go: '/addresses' }),
  gone: (_, { charter }) => ({ label: 'Open the proof', go: `/clusters/${charter.name}?tab=proof` }),
  free: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}` }),
  forget: (_, { charter }) => ({ label: `Open ${charter.name}`, go: `/clusters/${charter.name}` }),
  proof: (_, { charter }) => ({ label: 'Open the proof', go: `/clusters/${charter.name}?tab=proof` }),
  read: (s) => host(s),
  firmware: (s) => host(s),
  wipe: (s) => host(s),
  rest: (s) => host(s),
  pack: shipments,
  land: shipments,
  move: shipments,
  judge: (s) => gateways(s),
  'set-up': (s) => gateways(s),
  holds: (s) => gateways(s),
  copy: volumes,
  trial: volumes,
  keep: volumes,
  halt: volumes,
  restore: volumes,
  revive: volumes,
  silent: volumes,
  ahead: shipments,
  bring: (s) => ({ label: `Open ${s.lane}`, go: `/clusters/${s.lane}` }),
  changed: (s) => ({ label: `Open ${s.lane}`, go: `/clusters/${s.lane}/change` }),
  between: () => ({ label: 'Open the templates', go: '/clusters/templates' }),
  whole: losses,
  lose: losses,
  return: losses,
  on: (s) => host(s),
  answers: (s) => ({ label: 'Open the cold start', go: `/rehearse/cold-start?of=${s.model ?? ''}` }),
  remove: () => ({ label: 'Open the hypervisors', go: '/hosts/hypervisors' }),
};
const gateways = (s: Step): MendPlace => ({ label: `Open ${s.lane}`, go: '/addresses/routes' });
const imagesAt = (name: string | undefined): string => (name ? `/images?registry=${name}` : '/images');
const host = (s: Step): MendPlace =>
  s.host ? { label: `Open ${s.host}`, go: `/hosts/${s.host}` } : { label: 'Open the hosts', go: '/hosts' };

/** The page on which a failed step is mended, by what it works on. */
export const mendPlace = (step: Step, plan: Pick<Plan, 'charter' | 'mirror'>): MendPlace => places[step.kind](step, plan);
