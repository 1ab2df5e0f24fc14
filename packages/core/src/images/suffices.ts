import { judgeOf } from '../hosts/index.ts';
import type { Host, Registry } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { joinBills, missing, heldBy, sizeOf } from './bill.ts';
import { bytesText } from '../words/amounts.ts';

export interface SufficeLine {
  what: string;
  needs: string;
  has: string;
  good: boolean;
}
/** Of the disk at most this share is filled: above it file systems slow down, and a shipment has nowhere to put what it checks. */
export const fillTo = 0.9;

/**
 * Whether a host suffices for a registry that is to hold some bills: its fitness for the role, the disk with what it
 * already holds beside them and a tenth left free, and who else lives there.
 */
export function suffices(estate: Estate, registry: Registry, host: Host, bills: readonly string[]): SufficeLine[] {
  const fit = judgeOf(estate)(host).find((f) => f.role === 'registry');
  const lines: SufficeLine[] = (fit?.lines ?? []).map((l) => ({ what: l.label, needs: l.asked, has: l.has, good: l.ok }));
  const known = bills.flatMap((n) => estate.observed.bills[n] ?? []);
  const unknown = bills.filter((n) => !estate.observed.bills[n]);
  const need = sizeOf(known).declaredBytes;
  const seen = estate.observed.registries[registry.name];
  const whole = joinBills('', Object.values(estate.observed.bills));
  const held = sizeOf(whole).declaredBytes - missing(whole, heldBy(seen, registry)).declaredBytes;
  const both = seen ? held + missing(joinBills('', known), heldBy(seen, registry)).declaredBytes : need;
  const disk = (registry.diskGB ?? largest(host)) * 1e9;
  lines.push({
    what: 'disk for images',
    needs: `${bytesText(both)}${held ? `, of it ${bytesText(held)} present already` : ''}`,
    has: `${bytesText(disk * fillTo)} of ${bytesText(disk)}, a tenth stays free`,
    good: both <= disk * fillTo,
  });
  if (unknown.length)
    lines.push({ what: 'bills', needs: 'each of them known', has: `not walked yet: ${unknown.join(', ')}`, good: false });
  const others = estate.registries
    .filter((r) => r.host === host.name && r.name !== registry.name)
    .map((r) => `registry ${r.name}`);
  if (host.held) others.push(`${host.held.role} of ${host.held.charter}`);
  lines.push({
    what: 'lives alone there',
    needs: 'nothing else that fills its disk',
    has: others.length ? others.join(', ') : 'nothing else is declared',
    good: others.length === 0,
  });
  return lines;
}

const largest = (h: Host) => h.facts?.disks.reduce((m, d) => Math.max(m, d.sizeGB), 0) ?? 0;
