import type { Baseline, Host } from '../model/documents.ts';
import type { Facts } from '../model/facts.ts';

/** A version is read once: ten thousand hosts have the same few. */
const read = new Map<string, number[]>();
function numbersOf(version: string): number[] {
  let parts = read.get(version);
  if (!parts) {
    if (read.size > 10_000) read.clear();
    parts = version.split(/[.-]/).map(Number);
    read.set(version, parts);
  }
  return parts;
}

/** Compares dotted versions number by number: 2.9 is older than 2.19. Negative when `a` is older. */
export function compareVersions(a: string, b: string): number {
  if (a === b) return 0;
  const pa = numbersOf(a);
  const pb = numbersOf(b);
  for (let i = 0; i < Math.max(pa.length, pb.length); i++) {
    const d = (pa[i] || 0) - (pb[i] || 0);
    if (d) return d;
  }
  return 0;
}

/** A part of a baseline as it is used: what must stand, what is put there, and how. */
export interface BaselinePart {
  part: string;
  /** Oldest version that is good, and the first that is not any more. */
  atLeast: string;
  below?: string | undefined;
  /** The version that an update brings; `atLeast` where none is named. */
  to: string;
  image?: string | undefined;
  after: string[];
  reboot: boolean;
  minutes: number;
}

/** The parts of a baseline: those it names, and the system firmware where it names only that. */
export function partsOf(baseline: Baseline): readonly BaselinePart[] {
  let parts = partsRead.get(baseline);
  if (!parts) {
    parts = readParts(baseline);
    partsRead.set(baseline, parts);
  }
  return parts;
}
/** Every host of a model is held against the same few baselines. */
const partsRead = new WeakMap<Baseline, readonly BaselinePart[]>();
function readParts(baseline: Baseline): BaselinePart[] {
  const named = baseline.parts.map((p) => ({ ...p, to: p.to ?? p.atLeast }));
  return named.some((p) => p.part === 'system') || !baseline.system
    ? named
    : [{ part: 'system', atLeast: baseline.system, to: baseline.system, after: [], reboot: true, minutes: 10 }, ...named];
}

/** The version of a part that stands, by the firmware inventory; undefined where the host has no such part. */
export function versionOf(facts: Facts, part: string): string | undefined {
  if (part === 'system') return facts.firmware.system || undefined;
  if (part === 'bmc') return facts.firmware.bmc || undefined;
  return facts.firmware.parts?.find((p) => p.id === part)?.version;
}

export const good = (p: BaselinePart, version: string) =>
  compareVersions(version, p.atLeast) >= 0 && (p.below === undefined || compareVersions(version, p.below) < 0);

export interface FirmwareLine {
  part: string;
  stands: string;
  wanted: string;
  ok: boolean;
}

/** Each part of the baseline against what stands. A part the host does not have is left out. */
export function firmwareLines(facts: Facts, baseline: Baseline): FirmwareLine[] {
  return partsOf(baseline).flatMap((p) => {
    const stands = versionOf(facts, p.part);
    return stands === undefined
      ? []
      : [{ part: p.part, stands, wanted: `${p.atLeast} or later${p.below ? `, below ${p.below}` : ''}`, ok: good(p, stands) }];
  });
}

/** Whether every part that the host has is as the baseline asks. */
export function atBaseline(facts: Facts, baseline: Baseline): boolean {
  for (const p of partsOf(baseline)) {
    const stands = versionOf(facts, p.part);
    if (stands !== undefined && !good(p, stands)) return false;
  }
  return true;
}

export interface FirmwareStep {
  part: string;
  from: string;
  to: string;
  image: string | undefined;
  reboot: boolean;
  minutes: number;
}
export interface FirmwarePlan {
  host: string;
  baseline: string | undefined;
  steps: FirmwareStep[];
  reboots: number;
  minutes: number;
  /** Why it cannot be carried out now. */
  refused?: string;
}

/** The baseline for a host's model, if one is declared. */
export const baselineOf = (facts: Facts | undefined, baselines: readonly Baseline[]) =>
  facts && baselines.find((b) => b.model === facts.model);

/**
 * The updates that bring a host to the baseline of its model, in an order in which each comes after what it must come
 * after. Neighbouring updates that want a restart share one, unless a later one must find the earlier running.
 *
 * @throws Error when the baseline's order goes round in a circle
 */
export function firmwarePlan(host: Host, baselines: readonly Baseline[]): FirmwarePlan {
  const baseline = baselineOf(host.facts, baselines);
  const plan: FirmwarePlan = { host: host.name, baseline: baseline?.name, steps: [], reboots: 0, minutes: 0 };
  if (!host.facts) return { ...plan, refused: 'its facts have not been read' };
  if (!baseline) return { ...plan, refused: `no baseline is declared for ${host.facts.model}` };
  const facts = host.facts;
  for (const p of inOrder(partsOf(baseline), baseline.name)) {
    const from = versionOf(facts, p.part);
    if (from === undefined || good(p, from)) continue;
    plan.steps.push({ part: p.part, from, to: p.to, image: p.image, reboot: p.reboot, minutes: p.minutes });
  }
  // A restart is due after an update that wants one and that a later update waits for, and once at the end.
  const parts = new Map(partsOf(baseline).map((p) => [p.part, p]));
  let due = false;
  plan.steps.forEach((s, i) => {
    due ||= s.reboot;
    const waited = plan.steps.slice(i + 1).some((later) => parts.get(later.part)?.after.includes(s.part));
    const last = i === plan.steps.length - 1;
    s.reboot = due && (waited || last);
    if (s.reboot) {
      plan.reboots += 1;
      due = false;
    }
    plan.minutes += s.minutes + (s.reboot ? 5 : 0);
  });
  const refused = whyNot(host, plan);
  return refused ? { ...plan, refused } : plan;
}

function whyNot(host: Host, plan: FirmwarePlan): string | undefined {
  if (!plan.steps.length) return undefined;
  if (host.state === 'serving' && !host.drained) return 'it serves; drain it first';
  if (host.state === 'sighted' || host.state === 'retired') return `it is ${host.state}`;
  if (!host.bmc?.fingerprint) return 'its controller has no accepted certificate';
  const without = plan.steps.find((s) => !s.image);
  return without ? `the baseline names no image for ${without.part} ${without.to}` : undefined;
}

function inOrder(parts: readonly BaselinePart[], name: string): BaselinePart[] {
  const out: BaselinePart[] = [];
  const state = new Map<string, 'open' | 'done'>();
  const visit = (p: BaselinePart) => {
    if (state.get(p.part) === 'done') return;
    if (state.get(p.part) === 'open') throw new Error(`baseline ${name}: ${p.part} comes after itself`);
    state.set(p.part, 'open');
    for (const a of p.after) {
      const before = parts.find((x) => x.part === a);
      if (before) visit(before);
    }
    state.set(p.part, 'done');
    out.push(p);
  };
  for (const p of parts) visit(p);
  return out;
}
