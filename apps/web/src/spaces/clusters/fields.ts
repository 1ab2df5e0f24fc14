import { type Charter, type Estate, overlayKinds } from '@praesidor/core/model';

/** What is set in a charter, by § of the sheet. A new field is a line. `follows`: without a value it is computed. */
export interface SheetField {
  section: 1 | 2 | 3 | 4 | 5;
  label: string;
  path: string[];
  kind: 'text' | 'number' | 'choice' | 'list';
  options?: (e: Estate, c: Charter) => string[];
  follows?: boolean;
  mono?: boolean;
  unit?: string;
  hint?: string;
}

export const sections = {
  1: 'Release and images',
  2: 'Hosts and roles',
  3: 'Networks',
  4: 'Names and addresses',
  5: 'Access',
} as const;

export const fields: readonly SheetField[] = [
  { section: 1, label: 'Release', path: ['release'], kind: 'choice', options: (e) => e.releases.map((r) => r.name) },
  { section: 1, label: 'Architecture', path: ['arch'], kind: 'choice', options: () => ['x86-64', 'arm64'] },
  { section: 1, label: 'Add-ons', path: ['addons'], kind: 'list', hint: 'names with commas between' },
  {
    section: 1,
    label: 'Mirror',
    path: ['mirror'],
    kind: 'choice',
    options: (e, c) => e.registries.filter((r) => r.role !== 'source' && r.site === c.site).map((r) => r.name),
  },
  { section: 2, label: 'Control plane', path: ['controlPlane', 'count'], kind: 'number', unit: 'hosts, spread by zone' },
  { section: 2, label: 'Workers', path: ['workers', 'count'], kind: 'number', unit: 'hosts' },
  { section: 2, label: 'Cores, at least', path: ['workers', 'minCores'], kind: 'number', follows: true },
  { section: 2, label: 'Memory, at least', path: ['workers', 'minMemoryGiB'], kind: 'number', unit: 'GiB', follows: true },
  { section: 2, label: 'Lost after', path: ['timers', 'grace'], kind: 'number', unit: 's without a sign', follows: true },
  { section: 2, label: 'Pods wait', path: ['timers', 'tolerate'], kind: 'number', unit: 's more, then move', follows: true },
  {
    section: 3,
    label: 'Machine',
    path: ['machineNetwork'],
    kind: 'choice',
    options: (e, c) => e.networks.filter((n) => n.site === c.site && n.purpose === 'machine').map((n) => n.name),
    mono: true,
  },
  { section: 3, label: 'Pods', path: ['pods', 'range'], kind: 'text', mono: true },
  { section: 3, label: 'Pod prefix per node', path: ['pods', 'perNode'], kind: 'number', unit: 'bits of prefix' },
  { section: 3, label: 'Services', path: ['services', 'range'], kind: 'text', mono: true },
  { section: 3, label: 'Overlay', path: ['overlay', 'kind'], kind: 'choice', options: () => [...overlayKinds] },
  { section: 3, label: 'Pod MTU', path: ['overlay', 'mtu'], kind: 'number', follows: true },
  { section: 3, label: 'Proxy', path: ['proxy', 'url'], kind: 'text', mono: true, hint: 'http://proxy.example:3128' },
  { section: 4, label: 'API', path: ['api', 'name'], kind: 'text', follows: true, mono: true },
  { section: 4, label: 'API address', path: ['api', 'address'], kind: 'text', follows: true, mono: true },
  { section: 4, label: 'Further names', path: ['api', 'names'], kind: 'list', mono: true },
  { section: 4, label: 'Inbound', path: ['inbound', 'name'], kind: 'text', follows: true, mono: true },
  { section: 4, label: 'Service pool', path: ['servicePool', 'range'], kind: 'text', mono: true },
  { section: 5, label: 'Purpose', path: ['purpose'], kind: 'text' },
  { section: 5, label: 'Owner', path: ['owner'], kind: 'text' },
  { section: 5, label: 'Notes', path: ['notes'], kind: 'text' },
  { section: 5, label: 'Certificates', path: ['certificates', 'days'], kind: 'number', unit: 'days', follows: true },
  { section: 5, label: 'SSH keys', path: ['sshKeys'], kind: 'list', mono: true },
];

export const at = (doc: unknown, path: string[]): unknown =>
  path.reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], doc);

/** Parts that a charter has also where nothing of them is set. */
const standing = new Set(['api', 'inbound', 'controlPlane', 'workers', 'pods', 'services', 'overlay']);
/** A copy with the value at its path; undefined takes the field out, and what is empty then with it. */
export function withValue<T>(doc: T, path: string[], value: unknown): T {
  const [head, ...rest] = path;
  if (head === undefined) return value as T;
  const copy = { ...(doc as Record<string, unknown>) };
  const next = rest.length ? withValue((copy[head] ?? {}) as Record<string, unknown>, rest, value) : value;
  const empty = rest.length > 0 && typeof next === 'object' && next !== null && !Object.keys(next).length && !standing.has(head);
  if (next === undefined || empty) delete copy[head];
  else copy[head] = next;
  return copy as T;
}
