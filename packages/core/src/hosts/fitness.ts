import type { Baseline, FactName, Host, Network, Profile, Requirement, RoleName } from '../model/documents.ts';
import type { Facts } from '../model/facts.ts';
import type { Estate } from '../model/estate.ts';
import { atBaseline, baselineOf, firmwareLines } from './firmware.ts';
import { profilesOf } from './profiles.ts';

export interface Line {
  fact: FactName;
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
  /** Each requirement that misses, with its figure. */
  reasons: string[];
  /** Every requirement beside what the host has; worked out when it is asked for. */
  readonly lines: Line[];
}
/** What fitness is judged with besides the facts. */
export interface Around {
  baseline?: Baseline | undefined;
  /** Networks of the host's site. */
  networks: readonly Network[];
}

interface Measure {
  label: string;
  unit?: string;
  /** Whether the requirement is met: runs for every host and role, so it makes no text. */
  ok: (f: Facts, need: Requirement, around: Around) => boolean;
  has: (f: Facts, need: Requirement, around: Around) => string;
  mend?: (f: Facts, need: Requirement, around: Around) => string | undefined;
}

const bySize = (f: Facts) => [...f.disks].sort((a, b) => a.sizeGB - b.sizeGB);
const linked = (f: Facts) => f.nics.filter((n) => n.link);
const enough = (value: number, need: Requirement) => value >= (need.atLeast ?? 0);
const among = (value: string | undefined, need: Requirement) => value === undefined || !need.oneOf || need.oneOf.includes(value);
const diskText = (d: Facts['disks'][number] | undefined) => (d ? `${d.sizeGB} GB ${d.media}` : 'none');
/** The drive besides the smallest: what container storage can have to itself. */
const second = (f: Facts) => (f.disks.length < 2 ? undefined : bySize(f).at(-1));
const secondGB = (f: Facts) => (f.disks.length < 2 ? 0 : f.disks.reduce((m, d) => (d.sizeGB > m ? d.sizeGB : m), 0));
const bestLink = (f: Facts) => f.nics.reduce((m, n) => (n.link && n.speedGbit > m ? n.speedGbit : m), 0);
const least = (f: Facts) => f.disks.reduce((m, d) => (d.lifeLeft !== undefined && d.lifeLeft < m ? d.lifeLeft : m), 101);
const onPurpose = (nic: Facts['nics'][number], purpose: Requirement['purpose'], networks: readonly Network[]) => {
  for (const n of networks) if (n.purpose === purpose && n.vlan !== undefined && nic.vlans?.includes(n.vlan)) return true;
  return false;
};
const reached = (f: Facts, need: Requirement, { networks }: Around) => {
  let best = 0;
  for (const n of f.nics)
    if (n.link && n.speedGbit > best && (!n.vlans?.length || onPurpose(n, need.purpose, networks))) best = n.speedGbit;
  return best;
};

/** One entry a fact: how it is measured, said, and mended. */
export const measures: Record<FactName, Measure> = {
  cores: { label: 'cores', ok: (f, n) => enough(f.cores, n), has: (f) => String(f.cores) },
  memory: { label: 'memory', unit: 'GiB', ok: (f, n) => enough(f.memoryGiB, n), has: (f) => `${f.memoryGiB} GiB` },
  'system-disk': {
    label: 'system disk',
    unit: 'GB',
    ok: (f, n) =>
      f.disks.length > 0 &&
      enough(
        f.disks.reduce((m, d) => (d.sizeGB < m ? d.sizeGB : m), Number.POSITIVE_INFINITY),
        n,
      ),
    has: (f) => diskText(bySize(f)[0]),
  },
  'second-disk': {
    label: 'second disk',
    unit: 'GB',
    ok: (f, n) => enough(secondGB(f), n),
    has: (f) => diskText(second(f)),
    mend: (f, n) =>
      `put a drive of ${n.atLeast} GB or more ${f.disks.length < 2 ? 'into a free bay' : `beside or in place of ${bySize(f).at(-1)?.bay}`}`,
  },
  disks: { label: 'disks', ok: (f, n) => enough(f.disks.length, n), has: (f) => String(f.disks.length) },
  nvme: {
    label: 'NVMe disks',
    ok: (f, n) =>
      enough(
        f.disks.reduce((c, d) => c + (d.media === 'nvme' ? 1 : 0), 0),
        n,
      ),
    has: (f) => String(f.disks.filter((d) => d.media === 'nvme').length),
  },
  'disk-life': {
    label: 'endurance left',
    unit: '%',
    ok: (f, n) => enough(least(f), n),
    has: (f) => (least(f) > 100 ? 'not told' : `${least(f)} %`),
    mend: (f) => `replace the drive in ${f.disks.find((d) => d.lifeLeft === least(f))?.bay}`,
  },
  link: {
    label: 'link',
    unit: 'Gbit/s',
    ok: (f, n) => enough(bestLink(f), n),
    has: (f) => (bestLink(f) ? `${bestLink(f)} Gbit/s` : 'no link'),
    mend: (f) => (bestLink(f) ? 'a faster adapter or switch port' : 'connect a port'),
  },
  links: {
    label: 'links',
    ok: (f, n) =>
      enough(
        f.nics.reduce((c, x) => c + (x.link ? 1 : 0), 0),
        n,
      ),
    has: (f) => String(linked(f).length),
    mend: (f) => `connect ${f.nics.find((n) => !n.link)?.name ?? 'another adapter'}`,
  },
  network: {
    label: 'link on its network',
    unit: 'Gbit/s',
    ok: (f, n, a) => enough(reached(f, n, a), n),
    has: (f, n, a) => {
      const best = reached(f, n, a);
      return best ? `${best} Gbit/s` : bestLink(f) ? `VLAN ${vlansOf(n, a)} on no port` : 'no link';
    },
    mend: (f, n, a) => {
      const port = linked(f).find((x) => x.neighbour);
      return bestLink(f) && port?.neighbour && !reached(f, n, a)
        ? `allow VLAN ${vlansOf(n, a)} at ${port.neighbour.name} ${port.neighbour.port}`
        : 'connect a port that is fast enough';
    },
  },
  arch: { label: 'architecture', ok: (f, n) => among(f.arch, n), has: (f) => f.arch },
  'boot-mode': {
    label: 'boot mode',
    ok: (f, n) => among(f.bootMode, n),
    has: (f) => f.bootMode,
    mend: () => 'switch the boot mode in the firmware settings',
  },
  health: {
    label: 'health',
    ok: (f, n) => among(f.health, n),
    has: (f) => f.health ?? 'not told',
    mend: (f) => {
      const bad = f.disks.find((d) => d.health && d.health !== 'OK');
      return bad ? `replace the drive in ${bad.bay}` : 'look at its event log';
    },
  },
  firmware: {
    label: 'firmware',
    ok: (f, _, { baseline }) => !baseline || atBaseline(f, baseline),
    has: (f, _, { baseline }) => {
      const bad = baseline && firmwareLines(f, baseline).find((l) => !l.ok);
      return bad ? `${bad.part} ${bad.stands}` : f.firmware.system;
    },
    mend: (f, _, { baseline }) => {
      const bad = baseline && firmwareLines(f, baseline).find((l) => !l.ok);
      return bad ? `bring ${bad.part} to ${bad.wanted}` : undefined;
    },
  },
};

const vlansOf = (n: Requirement, a: Around) =>
  a.networks
    .filter((x) => x.purpose === n.purpose && x.vlan)
    .map((x) => x.vlan)
    .join(' or ') || '?';
const labelOf = (n: Requirement) => n.label ?? (n.fact === 'network' ? `link, ${n.purpose} net` : measures[n.fact].label);
const askedOf = (n: Requirement, { baseline }: Around) => {
  if (n.fact === 'firmware') {
    const system = baseline?.parts.find((p) => p.part === 'system')?.atLeast ?? baseline?.system;
    return system ? `≥ ${system}` : 'as the baseline';
  }
  const unit = measures[n.fact].unit;
  return n.oneOf ? n.oneOf.join(' or ') : `${n.atLeast ?? ''}${unit ? ` ${unit}` : ''}`;
};

function lineOf(f: Facts, n: Requirement, around: Around): Line {
  const m = measures[n.fact];
  const ok = m.ok(f, n, around);
  const mend = ok ? undefined : m.mend?.(f, n, around);
  return { fact: n.fact, label: labelOf(n), asked: askedOf(n, around), has: m.has(f, n, around), ok, ...(mend ? { mend } : {}) };
}

/** A class, since its lines are worked out only when asked for, and ten thousand hosts make fifty thousand of it. */
class Judged implements Fitness {
  readonly role: RoleName;
  readonly title: string;
  readonly fits: boolean;
  constructor(
    private readonly facts: Facts,
    private readonly profile: Profile,
    private readonly around: Around,
    readonly reasons: string[],
  ) {
    this.role = profile.name;
    this.title = profile.title;
    this.fits = reasons.length === 0;
  }
  get lines(): Line[] {
    return this.profile.needs.map((n) => lineOf(this.facts, n, this.around));
  }
}

const none: string[] = [];

/** One role held against the facts; every requirement that misses becomes a reason with its figure. */
export function fitnessFor(facts: Facts, profile: Profile, around: Around): Fitness {
  let reasons = none;
  for (const n of profile.needs) {
    const m = measures[n.fact];
    if (m.ok(facts, n, around)) continue;
    if (reasons === none) reasons = [];
    reasons.push(`${labelOf(n)}: ${m.has(facts, n, around)}, ${askedOf(n, around)} asked`);
  }
  return new Judged(facts, profile, around, reasons);
}

/**
 * The judge of an estate: a host's fitness for every role, or for one. Baselines and networks are looked up once, so that ten
 * thousand hosts are judged in one go.
 */
export function judgeOf(
  estate: Pick<Estate, 'profiles' | 'baselines' | 'networks'>,
): (host: Pick<Host, 'facts' | 'site'>, role?: RoleName) => Fitness[] {
  const profiles = profilesOf(estate);
  const baselines = new Map<string, Baseline | undefined>();
  const networks = new Map<string, Network[]>();
  for (const n of estate.networks) {
    const list = networks.get(n.site);
    if (list) list.push(n);
    else networks.set(n.site, [n]);
  }
  const seen = new Map<string, Around>();
  return ({ facts, site }, role) => {
    if (!facts) return [];
    const key = `${site} ${facts.model}`;
    let around = seen.get(key);
    if (!around) {
      if (!baselines.has(facts.model)) baselines.set(facts.model, baselineOf(facts, estate.baselines));
      around = { baseline: baselines.get(facts.model), networks: networks.get(site) ?? [] };
      seen.set(key, around);
    }
    const out: Fitness[] = [];
    for (const p of profiles) if (role === undefined || p.name === role) out.push(fitnessFor(facts, p, around));
    return out;
  };
}

/** Whether a machine fits any role of a cluster of several; fit for a registry or for an edge alone it is only listed. */
export const fitsCluster = (judged: readonly Fitness[]) =>
  judged.some((f) => f.fits && f.role !== 'registry' && f.role !== 'edge');

/** Free for a charter: with facts, and promised to nobody else; what serves this charter already stays its own. */
export const isFree = (host: Host, charter?: string) =>
  host.facts !== undefined &&
  (host.held ? host.held.charter === charter && host.state !== 'retired' : host.state === 'fit' || host.state === 'listed');
