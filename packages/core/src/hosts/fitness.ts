import type { Facts, Host } from '../model/documents.ts';
import { type Profile, profiles, type Requirement, type RoleName } from './profiles.ts';

export interface Line {
  label: string;
  asked: string;
  has: string;
  ok: boolean;
  mend?: string;
}
export interface Fitness {
  role: RoleName;
  title: string;
  fits: boolean;
  lines: Line[];
  reasons: string[];
}

const measure: Record<Requirement['fact'], (f: Facts) => { value: number | string; has: string; mend?: string }> = {
  cores: (f) => ({ value: f.cores, has: String(f.cores) }),
  memoryGiB: (f) => ({ value: f.memoryGiB, has: `${f.memoryGiB} GiB` }),
  systemDiskGB: (f) => {
    const d = [...f.disks].sort((a, b) => a.sizeGB - b.sizeGB)[0];
    return { value: d?.sizeGB ?? 0, has: d ? `${d.sizeGB} GB ${d.media}` : 'none' };
  },
  secondDiskGB: (f) => {
    const d = [...f.disks].sort((a, b) => b.sizeGB - a.sizeGB)[0];
    return f.disks.length < 2 || !d
      ? { value: 0, has: 'none', mend: 'add a drive in a free bay' }
      : { value: d.sizeGB, has: `${d.sizeGB} GB ${d.media}` };
  },
  linkGbit: (f) => {
    const best = Math.max(0, ...f.nics.filter((n) => n.link).map((n) => n.speedGbit));
    return { value: best, has: best ? `${best} Gbit/s` : 'no link', mend: 'connect a port' };
  },
  uefi: (f) => ({ value: f.bootMode, has: f.bootMode, mend: 'switch the boot mode in the firmware settings' }),
  arch: (f) => ({ value: f.arch, has: f.arch }),
};

/** One role held against the facts, line by line; every line that misses becomes a reason with its figure. */
export function fitnessFor(facts: Facts, profile: Profile): Fitness {
  const lines = profile.needs.map((need): Line => {
    const m = measure[need.fact](facts);
    const ok = typeof need.atLeast === 'number' ? Number(m.value) >= need.atLeast : m.value === need.atLeast;
    return {
      label: need.label,
      asked: `${need.atLeast}${need.unit ? ` ${need.unit}` : ''}`,
      has: m.has,
      ok,
      ...(ok || !m.mend ? {} : { mend: m.mend }),
    };
  });
  const reasons = lines.filter((l) => !l.ok).map((l) => `${l.label}: ${l.has}, ${l.asked} asked`);
  return { role: profile.role, title: profile.title, fits: reasons.length === 0, lines, reasons };
}

export const fitness = (facts: Facts): Fitness[] => profiles.map((p) => fitnessFor(facts, p));

export const fitsAny = (facts: Facts) => fitness(facts).some((f) => f.fits && f.role !== 'registry');

/** Free for a charter: with facts, and promised to nobody else; what serves this charter already stays its own. */
export const isFree = (host: Host, charter?: string) =>
  host.facts !== undefined &&
  (host.held ? host.held.charter === charter && host.state !== 'retired' : host.state === 'fit' || host.state === 'listed');
