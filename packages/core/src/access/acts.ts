/** People's roles; each may do what those before it may. */
export const roles = ['reader', 'planner', 'builder', 'warden'] as const;
export type Role = (typeof roles)[number];

interface ActRule {
  role: Role;
  /** What it is, in the sentence of a refusal: "To … takes the role …". */
  does: string;
  /** It is looked at by who is in its team alone. */
  ofTeam?: boolean;
  /** It reaches what stands at a site: where another installation stands, it is done from that one. */
  there?: boolean;
}

/**
 * Everything that can be done, with the role that it takes. A route names its act here, or does not start. Acts that
 * open a connection to something outside take a builder: to connect is more than to look.
 */
export const acts = {
  'account.own': { role: 'reader', does: 'use an account of one’s own' },
  'plan.read': { role: 'reader', does: 'look at the plan' },
  'record.read': { role: 'reader', does: 'read the record of acts' },
  'keyring.read': { role: 'reader', does: 'see which entries the keyring has' },
  'proving.read': { role: 'reader', does: 'look at the proving ground' },

  'plan.edit': { role: 'planner', does: 'change the plan' },
  'plan.import': { role: 'planner', does: 'import documents' },
  'plan.undo': { role: 'planner', does: 'undo an act' },
  'findings.tolerate': { role: 'planner', does: 'accept findings' },
  'ledger.change': { role: 'planner', does: 'reserve and release addresses' },
  'charters.save': { role: 'planner', does: 'save a charter' },
  'proposals.write': { role: 'planner', does: 'write proposals' },
  'proposals.approve': { role: 'planner', does: 'approve what somebody else wants to change' },
  'hosts.list': { role: 'planner', does: 'list hosts' },
  'hosts.state': { role: 'planner', does: 'change the state of hosts' },

  'hosts.sweep': { role: 'builder', does: 'sweep a network for controllers', there: true },
  'hosts.accept': { role: 'builder', does: 'accept the certificate of a controller', there: true },
  'hosts.connect': { role: 'builder', does: 'read from a controller', there: true },
  'hosts.control': { role: 'builder', does: 'control machines through their controllers', there: true },
  'hosts.work': { role: 'builder', does: 'run work on hosts', there: true },
  'hypervisors.connect': { role: 'builder', does: 'read from a hypervisor', there: true },
  'guests.cast': { role: 'builder', does: 'create guests', there: true },
  'gateways.set-up': { role: 'builder', does: 'set gateways up', there: true },
  'backups.run': { role: 'builder', does: 'back up and test volumes', there: true },
  'sites.power': { role: 'warden', does: 'start a site in order, or shut its hosts down', there: true },
  'losses.try': { role: 'warden', does: 'switch a host of a cluster that stands off, to see what happens', there: true },
  'backups.restore': { role: 'warden', does: 'put a backup in the place of a volume', there: true },
  'backups.take': { role: 'builder', does: 'take what a backup holds' },
  'reach.measure': { role: 'builder', does: 'measure a path', there: true },
  'registries.connect': { role: 'builder', does: 'read from a registry', there: true },
  'registries.verify': { role: 'builder', does: 'have a registry verify its content', there: true },
  'registries.clean': { role: 'builder', does: 'delete images from a registry', there: true },
  'releases.take': { role: 'builder', does: 'take releases from a source registry' },
  'zones.connect': { role: 'builder', does: 'read a zone from its server', there: true },
  'zones.send': { role: 'builder', does: 'send DNS updates', there: true },
  'zones.add-served': { role: 'builder', does: 'add served records to the plan', there: true },
  'shipments.plan': { role: 'builder', does: 'plan shipments' },
  'shipments.run': { role: 'builder', does: 'run shipments' },
  'cases.carry': { role: 'builder', does: 'take cases out and bring them in' },
  'cases.accept': { role: 'builder', does: 'accept a case that this installation cannot verify' },
  'bundles.make': { role: 'builder', does: 'make and carry bundles' },
  'builds.run': { role: 'builder', does: 'run builds', there: true },
  'clusters.access': { role: 'builder', does: 'take the boot kit of a cluster, which has all its keys' },
  'clusters.view': { role: 'reader', does: 'take a kubeconfig that looks', ofTeam: true },
  'clusters.edit': { role: 'builder', does: 'take a kubeconfig that changes workloads', there: true },
  'proving.change': { role: 'builder', does: 'plant faults on the proving ground' },

  'plan.restore': { role: 'warden', does: 'import hosts with a state of their own' },
  'bundles.take-in': { role: 'warden', does: 'take in the bundle of another installation' },
  'clusters.administer': { role: 'warden', does: 'take the kubeconfig of an administrator', there: true },
  'keyring.change': { role: 'warden', does: 'change the keyring' },
  'trust.change': { role: 'warden', does: 'change certificates and whom to trust' },
  'registries.kit': { role: 'warden', does: 'make the kit of a registry' },
  'notices.manage': { role: 'warden', does: 'say who is told of what' },
  'accounts.manage': { role: 'warden', does: 'manage accounts' },
} as const satisfies Record<string, ActRule>;
export type ActName = keyof typeof acts;
export const actNames = Object.keys(acts) as ActName[];

/** Whether somebody who may look at all may do it everywhere. */
export const looks = (act: ActName): boolean => acts[act].role === 'reader' && !('ofTeam' in acts[act]);

/** Whether an act reaches what stands at a site. */
export const reachesSite = (act: ActName): boolean => 'there' in acts[act];

/** Whether a role includes another. Unknown roles include nothing. */
export const includes = (has: string, needs: Role): boolean => roles.indexOf(has as Role) >= roles.indexOf(needs);

/** The table of acts by role, as it stands in the docs. */
export function actsTable(): string {
  const rows = actNames.map(
    (a) => `| \`${a}\` | ${acts[a].does} | ${roles.map((r) => (includes(r, acts[a].role) ? 'yes' : '–')).join(' | ')} |`,
  );
  return [`| act | what it is | ${roles.join(' | ')} |`, `| --- | --- |${roles.map(() => ' --- |').join('')}`, ...rows].join(
    '\n',
  );
}
