import { hostOf } from '@praesidor/core/access';
import { domainOf, domainXml, volumeOf } from '@praesidor/core/hosts';
import type { Host, Hypervisor, Mould, SeenHypervisor } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import * as driver from '@praesidor/protocols/hypervisor';
import type { Context } from '../../context.ts';
import { needDoc } from '../../estate/documents.ts';
import { observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';

export async function driverOf(ctx: Context, h: Hypervisor, signal?: AbortSignal): Promise<driver.Driver> {
  const { user, secret, leash } = await credential(ctx.config, ctx.db.manager, h.credential, {
    use: 'hypervisor',
    document: `Hypervisor ${h.name}`,
    host: hostOf(h.endpoint),
  });
  return { dialer: ctx.dialer, endpoint: h.endpoint, ca: h.ca, user, password: secret, leash, ...(signal ? { signal } : {}) };
}

/** Looks at a hypervisor and keeps what it says. What cannot be reached keeps its last words, with why. */
export async function lookAtHypervisor(ctx: Context, name: string): Promise<SeenHypervisor> {
  const { doc } = await needDoc(ctx.db.manager, 'Hypervisor', name);
  const [before] = (await ctx.db.manager.query("select data from observation where kind = 'hypervisor' and subject = $1", [
    name,
  ])) as { data: SeenHypervisor }[];
  const at = new Date().toISOString();
  const none: SeenHypervisor = { at, cores: 0, memoryGiB: 0, freeGiB: 0, pools: [], bridges: [], images: [], guests: [] };
  let seen: SeenHypervisor;
  try {
    seen = await driver.readHypervisor(await driverOf(ctx, doc), at);
  } catch (e) {
    if (!(e instanceof ProtocolError) && !(e instanceof Refusal)) throw e;
    seen = { ...(before?.data ?? none), error: e.message, fault: e instanceof ProtocolError ? e.fault : 'kept-back' };
  }
  const same = (s: SeenHypervisor | undefined) => JSON.stringify({ ...s, at: '' });
  if (same(before?.data) !== same(seen))
    await ctx.db.transaction(async (m) => {
      await observe(m, 'hypervisor', name, seen);
      await tell(m, 'SeenHypervisor', name);
    });
  return seen;
}

export interface Guest {
  host: Host;
  mould: Mould;
  on: Hypervisor;
  driver: driver.Driver;
}
/** A guest with everything needed to speak of it to its hypervisor. @throws Refusal where something of it is not declared */
export async function guestOf(ctx: Context, name: string, signal?: AbortSignal): Promise<Guest> {
  const m = ctx.db.manager;
  const { doc: host } = await needDoc(m, 'Host', name);
  if (!host.guest) throw new Refusal('not-now', `${name} is no guest.`);
  const { doc: on } = await needDoc(m, 'Hypervisor', host.guest.hypervisor);
  const { doc: mould } = await needDoc(m, 'Mould', host.guest.mould);
  return { host, mould, on, driver: await driverOf(ctx, on, signal) };
}

/**
 * Casts a guest: its volumes, then its definition. What is there already is left, so it can be done again at any time; with `anew` its first volume, the system's, is
 * made once more from the image, and the others keep what is on them. Where it fails, what this call made is taken away again.
 */
export async function cast(
  g: Guest,
  seed: string | undefined,
  log: (text: string, done: number) => Promise<void>,
  anew = false,
): Promise<void> {
  const { host, mould, on } = g;
  const domain = domainOf(host, mould, on, seed);
  const there = await driver.guestState(g.driver, host.name);
  if (there?.state === 'running') await driver.stop(g.driver, host.name, true);
  const [system] = domain.disks;
  if (anew && system) {
    // A volume that a definition names cannot be taken away. Where a kill came in between, the definition is gone already.
    if (there) await driver.undefine(g.driver, host.name);
    await driver.dropVolume(g.driver, system.pool, system.volume);
  }
  const before = new Set(there ? domain.disks.map((d) => d.volume) : []);
  const made: { pool: string; volume: string }[] = [];
  try {
    for (const [i, d] of domain.disks.entries()) {
      const size = mould.disks[i]?.sizeGB ?? 0;
      await driver.makeVolume(g.driver, d.pool, volumeOf(host.name, i), size, i === 0 ? mould.image : undefined);
      if (!before.has(d.volume)) made.push(d);
      await log(`${d.volume}, ${size} GB in ${d.pool}${i === 0 ? ` from ${mould.image}` : ''}`, i + 1);
    }
    await driver.define(g.driver, host.name, domainXml(domain, mould.arch));
    await log(`defined on ${on.name}: ${mould.vcpu} vCPU, ${mould.memoryGiB} GiB`, domain.disks.length + 1);
  } catch (e) {
    // What is cast anew has volumes that stay.
    if (!there && !anew) for (const d of made) await driver.dropVolume(g.driver, d.pool, d.volume).catch(() => undefined);
    throw e;
  }
}

/** Takes a guest away: stopped, its definition gone, its volumes gone. What is gone already is gone. */
export async function uncast(g: Guest): Promise<void> {
  const there = await driver.guestState(g.driver, g.host.name);
  if (there) {
    if (there.state === 'running') await driver.stop(g.driver, g.host.name, true);
    await driver.undefine(g.driver, g.host.name);
  }
  for (const d of domainOf(g.host, g.mould, g.on).disks) await driver.dropVolume(g.driver, d.pool, d.volume);
}
