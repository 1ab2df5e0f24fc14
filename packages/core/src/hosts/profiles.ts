import type { FactName, Profile, Requirement, RoleName } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

type Need = Omit<Requirement, 'fact'>;
const profile = (name: RoleName, title: string, needs: Partial<Record<FactName, number | string[] | true | Need>>): Profile => ({
  apiVersion: 'praesidor/v1',
  kind: 'Profile',
  name,
  title,
  needs: (Object.entries(needs) as [FactName, number | string[] | true | Need][]).map(([fact, n]) => ({
    fact,
    ...(typeof n === 'number' ? { atLeast: n } : Array.isArray(n) ? { oneOf: n } : n === true ? {} : n),
  })),
});
const machineNet: Need = { purpose: 'machine', atLeast: 10 };

/** What each role asks where the estate says nothing else. */
export const usualProfiles: readonly Profile[] = [
  profile('control-plane', 'Control plane', {
    cores: 4,
    memory: 16,
    'system-disk': 100,
    'second-disk': { atLeast: 200, label: 'container disk' },
    network: machineNet,
    'boot-mode': ['UEFI'],
    health: ['OK'],
    firmware: true,
  }),
  profile('worker', 'Worker', {
    cores: 8,
    memory: 32,
    'system-disk': 100,
    'second-disk': { atLeast: 200, label: 'container disk' },
    network: machineNet,
    'boot-mode': ['UEFI'],
    health: ['OK'],
    firmware: true,
  }),
  profile('storage', 'Storage', {
    cores: 8,
    memory: 32,
    'second-disk': { atLeast: 1000, label: 'data disk' },
    'disk-life': 20,
    network: machineNet,
    links: 2,
    health: ['OK'],
    firmware: true,
  }),
  profile('registry', 'Registry', { cores: 4, memory: 8, 'second-disk': { atLeast: 1000, label: 'image disk' }, link: 10 }),
  profile('edge', 'Single-host edge', {
    cores: 8,
    memory: 32,
    'second-disk': { atLeast: 400, label: 'container disk' },
    link: 1,
    'boot-mode': ['UEFI'],
    health: ['OK'],
  }),
];

/** The profiles of an estate: its own, and the usual ones for the roles it says nothing about. */
export const profilesOf = (estate: Pick<Estate, 'profiles'>): Profile[] =>
  usualProfiles.map((p) => estate.profiles.find((own) => own.name === p.name) ?? p);
