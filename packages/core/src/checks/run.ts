import type { Estate, Slice } from '../model/estate.ts';
import { catalogue } from './catalogue.ts';
import { type Area, type Check, type Finding, View } from './check.ts';

export interface Report {
  findings: Finding[];
  checks: number;
  passed: number;
}

const rank = { stop: 0, mind: 1, note: 2 } as const;

function sliceValue(estate: Estate, slice: Slice): unknown {
  switch (slice) {
    case 'bills':
      return estate.observed.bills;
    case 'seenHypervisors':
      return estate.observed.hypervisors;
    case 'seenControllers':
      return estate.observed.controllers;
    case 'seenRegistries':
      return estate.observed.registries;
    case 'servedZones':
      return estate.observed.zones;
    case 'sightings':
      return estate.observed.sightings;
    default:
      return estate[slice];
  }
}

function runOne(check: Check, view: View): Finding[] {
  return check.find(view).map((hit) => ({
    ...hit,
    id: `${check.code} ${hit.subject.kind} ${hit.subject.name} ${hit.path.join('.')}`,
    code: check.code,
    area: check.code.slice(0, 3) as Area,
    severity: check.severity,
    charters: hit.charters ?? (hit.subject.kind === 'Charter' ? [hit.subject.name] : []),
  }));
}

/**
 * A checker that remembers: given an estate whose unchanged parts are the same objects as before, it runs
 * only the checks that read what changed. The order is by severity, then as in the catalogue.
 */
export function makeChecker(checks: readonly Check[] = catalogue): (estate: Estate) => Report {
  const memory = new Map<Check, { seen: unknown[]; hour: string; findings: Finding[] }>();
  return (estate) => {
    const view = new View(estate);
    let passed = 0;
    const findings = checks.flatMap((check) => {
      const seen = check.reads.map((s) => sliceValue(estate, s));
      const before = memory.get(check);
      const hour = estate.now.slice(0, 13);
      const same = before && before.hour === hour && seen.every((v, i) => v === before.seen[i]);
      const found = same ? before.findings : runOne(check, view);
      if (!same) memory.set(check, { seen, hour, findings: found });
      if (!found.length) passed++;
      return found;
    });
    return { findings: findings.sort((a, b) => rank[a.severity] - rank[b.severity]), checks: checks.length, passed };
  };
}

/** Every check over the whole estate. */
export const check = (estate: Estate): Report => makeChecker()(estate);
