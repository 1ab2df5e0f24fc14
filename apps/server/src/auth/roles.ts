/** People's roles; each includes those before it. */
export const roles = ['reader', 'planner', 'builder', 'warden'] as const;
export type Role = (typeof roles)[number];
/** Documents that take more than the plan's role to change: sites are a warden's, a pinned controller a builder's. */
export function needed(edit: { kind: string; path?: readonly (string | number)[] }): Role {
  if (edit.kind === 'Site') return 'warden';
  return edit.kind === 'Host' && (!edit.path || edit.path[0] === 'bmc') ? 'builder' : 'planner';
}

export const may = (has: string, needs: Role) => roles.indexOf(has as Role) >= roles.indexOf(needs);
/** What a role is for, in the sentence of a refusal. */
export const reads: Record<Role, string> = {
  reader: 'look at the plan',
  planner: 'change the plan',
  builder: 'run builds and shipments',
  warden: 'manage people, keyring and sites',
};
