import { afterAll, beforeAll, expect, it } from 'vitest';
import { Installation } from '../apps/server/test/installation.ts';
import { fromNothing, type Known } from './empty.ts';
import { type Browser, openBrowser } from './lib/browser.ts';
import { axeFaults } from './lib/axe.ts';

const i = new Installation();
let b: Browser;
beforeAll(async () => {
  await i.start({ speed: 600, empty: true });
  b = await openBrowser();
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

/** What stands on the paper of Northern Quarter (demo/empty/room.md). */
const known = (): Known => ({
  title: 'Northern Quarter',
  domain: 'nq.kestrelferries.example',
  timezone: 'Europe/Lisbon',
  resolvers: '10.44.8.53 10.44.8.54',
  ntp: '10.44.8.60',
  management: { prefix: '10.44.7.0/26', vlan: '441' },
  machine: { prefix: '10.44.8.0/25', vlan: '442' },
  controllers: { user: 'operator', secret: 'north-demo-7' },
  updateKey: 'bm9ydGgtcXVhcnRlci1kZW1vLWtleS0wMTIzNDU2Nzg5MDE=',
  source: {
    name: 'upstream',
    endpoint: 'images.upstream.example:443',
    ca: i.world.authorities.get('upstream')?.cert as string,
  },
  mirror: { user: 'keeper', secret: 'north-demo-3', disk: '3840', ca: i.world.authorities.get('nq')?.cert as string },
  cluster: 'dipper',
  sshKey: 'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIGJ1aWxkZXItb2Yta2VzdHJlbC1mZXJyaWVzLWRlbW8= builder@kestrelferries.example',
});

it('an empty database becomes a proved cluster of six hosts, with what an engineer knows and no YAML', async () => {
  const wrong: Record<string, string[]> = {};
  const typed = await fromNothing(b, i.config.publicUrl, { login: 'warden', password: i.password }, known(), async (station) => {
    // The forms of this walk; every other view has a test of its own.
    if (!['site', 'mirror', 'charter'].includes(station)) return;
    const found = await axeFaults(b);
    if (found.length) wrong[station] = found;
  });
  expect(wrong).toEqual({});
  expect(typed).toBeLessThanOrEqual(60);
  // Measured: 21. Whoever adds a question that could follow from another one is told here.
  expect(typed).toBeLessThanOrEqual(24);
  const e = await (await i.as('warden')).estate();
  expect(e.sites.map((s) => [s.name, s.timezone, s.reach])).toEqual([['nq', 'Europe/Lisbon', 'open']]);
  expect(e.hosts.map((h) => [h.state, h.held?.charter])).toEqual(Array.from({ length: 6 }, () => ['serving', 'dipper']));
  expect(i.world.clusters.list()).toMatchObject([{ name: 'dipper', up: true }]);
  // The registry's address was taken from its name server, and no node has it.
  expect(e.reservations.find((r) => r.address === '10.44.8.9')?.owner).toEqual({ kind: 'registry', name: 'nq-registry' });
});
