import { gigabytesText } from '../words/amounts.ts';
import type { Facts } from '../model/facts.ts';

/** What is otherwise than at the last reading. `heavy` changes are those somebody should know of. */
export interface Change {
  what: 'board' | 'processor' | 'memory' | 'disk' | 'adapter' | 'cable' | 'firmware' | 'boot' | 'health';
  text: string;
  heavy: boolean;
}

const say = (what: Change['what'], text: string, heavy = true): Change => ({ what, text, heavy });

/** Facts of one host, read twice: a swapped disk, a moved cable, another firmware. Power is no change. */
export function changesOf(before: Facts, after: Facts): Change[] {
  const out: Change[] = [];
  if (before.serial !== after.serial) out.push(say('board', `serial ${before.serial || 'none'} → ${after.serial || 'none'}`));
  if (before.model !== after.model) out.push(say('board', `model ${before.model} → ${after.model}`));
  if (before.cores !== after.cores || before.arch !== after.arch)
    out.push(say('processor', `${before.cores} cores ${before.arch} → ${after.cores} cores ${after.arch}`));
  if (before.memoryGiB !== after.memoryGiB) out.push(say('memory', `${before.memoryGiB} GiB → ${after.memoryGiB} GiB`));
  disks(before, after, out);
  adapters(before, after, out);
  const parts = (f: Facts) =>
    new Map([
      ['system', f.firmware.system],
      ['bmc', f.firmware.bmc],
      ...(f.firmware.parts ?? []).map((p) => [p.id, p.version] as const),
    ]);
  const now = parts(after);
  for (const [id, version] of parts(before)) {
    const next = now.get(id);
    if (next !== undefined && next !== version) out.push(say('firmware', `${id} ${version || '?'} → ${next || '?'}`, false));
  }
  if (before.bootMode !== after.bootMode) out.push(say('boot', `boot mode ${before.bootMode} → ${after.bootMode}`));
  if (before.health && after.health && before.health !== after.health)
    out.push(say('health', `health ${before.health} → ${after.health}`, after.health !== 'OK'));
  return out;
}

function disks(before: Facts, after: Facts, out: Change[]): void {
  const was = new Map(before.disks.map((d) => [d.bay, d]));
  const is = new Map(after.disks.map((d) => [d.bay, d]));
  for (const [bay, d] of was) {
    const now = is.get(bay);
    if (!now) out.push(say('disk', `${bay}: the drive of ${gigabytesText(d.sizeGB)} is gone`));
    else if (d.serial && now.serial && d.serial !== now.serial)
      out.push(
        say('disk', `${bay}: swapped, ${gigabytesText(d.sizeGB)} ${d.serial} → ${gigabytesText(now.sizeGB)} ${now.serial}`),
      );
    else if (d.sizeGB !== now.sizeGB || d.media !== now.media)
      out.push(say('disk', `${bay}: ${gigabytesText(d.sizeGB)} ${d.media} → ${gigabytesText(now.sizeGB)} ${now.media}`));
    else if (d.health && now.health && d.health !== now.health)
      out.push(say('disk', `${bay}: health ${d.health} → ${now.health}`, now.health !== 'OK'));
  }
  for (const [bay, d] of is) if (!was.has(bay)) out.push(say('disk', `${bay}: a drive of ${gigabytesText(d.sizeGB)} is new`));
}

function adapters(before: Facts, after: Facts, out: Change[]): void {
  const was = new Map(before.nics.map((n) => [n.mac, n]));
  const is = new Map(after.nics.map((n) => [n.mac, n]));
  const plug = (n: Facts['nics'][number]) => (n.neighbour ? `${n.neighbour.name} ${n.neighbour.port}` : 'nowhere seen');
  for (const [mac, n] of was) {
    const now = is.get(mac);
    if (!now) out.push(say('adapter', `${n.name} ${mac} is gone`));
    else {
      if (n.link !== now.link) out.push(say('cable', `${n.name}: ${now.link ? 'has a link' : 'lost its link'}`, !now.link));
      else if (n.link && n.speedGbit !== now.speedGbit)
        out.push(say('cable', `${n.name}: ${n.speedGbit} → ${now.speedGbit} Gbit/s`));
      if (n.neighbour && now.neighbour && plug(n) !== plug(now))
        out.push(say('cable', `${n.name}: moved from ${plug(n)} to ${plug(now)}`));
    }
  }
  for (const [mac, n] of is) if (!was.has(mac)) out.push(say('adapter', `${n.name} ${mac} is new`));
}
