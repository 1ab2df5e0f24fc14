import type { Setup } from '@praesidor/contract';
import type { Gateway } from '@praesidor/core/model';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation } from './installation.ts';

/** Gateways of the demonstration are set up on the machines that stand in for their members: from the API to the files there. */
const i = new Installation();
let c: Client;
const members = { 'lr-gate': ['lr-gate-a', 'lr-gate-b'], 'lr-desk-gate': ['lr-desk-router'] } as const;
const of = async (name: string) => {
  const g = (await c.estate()).gateways.find((x) => x.name === name);
  if (!g) throw new Error(`there is no gateway ${name}`);
  return g;
};
const save = (g: Gateway) => c.good('POST', '/api/edits', { why: 'test', edits: [{ op: 'put', doc: g }] });
const setup = (name: string) => c.good<Setup>('GET', `/api/gateways/${name}/setup`);
const ended = (name: string) =>
  eventually(async () => {
    const { last } = await setup(name);
    return last && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
  }, `the end of the setting up of ${name}`);
const begin = async (name: string) => {
  await c.good('POST', `/api/gateways/${name}/setup`);
  return ended(name);
};
const router = (name: string) => {
  const r = i.world.routers.get(name);
  if (!r) throw new Error(`nothing stands in for ${name}`);
  return r;
};
const lies = (name: string, file: string) => router(name).save().files[file];

beforeAll(async () => {
  await i.start({ timeoutSeconds: 10 });
  c = await i.as('warden');
  const { routers: hostKeys } = i.world.state();
  for (const [name, list] of Object.entries(members)) {
    const { account } = await setup(name);
    const g = await of(name);
    await save({ ...g, members: g.members.map((m) => ({ ...m, login: { hostKey: hostKeys[m.name] ?? '' } })) });
    for (const m of list)
      router(m).give(
        { name: account.user, keys: [account.key], sudo: account.sudo.replace(/^\S+ /, '') },
        { path: account.path, text: account.program },
      );
  }
});
afterAll(() => i.stop());

describe('a gateway of the demonstration', () => {
  it('is set up: its files lie on each member, and each moving address is at one', async () => {
    const last = await begin('lr-gate');
    expect([last.status.state, last.status.steps.holds?.text]).toEqual(['done', '2 addresses are at one member each']);
    expect(lies('lr-gate-a', '/etc/bird/bird.conf')).toContain('route 10.62.40.0/24 via 10.62.0.1;');
    expect(lies('lr-gate-b', '/etc/keepalived/keepalived.conf')).toContain('priority 100');
    expect(last.log.map((l) => l.line)).toContain('put /etc/keepalived/keepalived.conf');
  });
  it('and another one at the same time; again, nothing changes', async () => {
    await Promise.all(Object.keys(members).map((name) => c.good('POST', `/api/gateways/${name}/setup`)));
    const [gate, desk] = [await ended('lr-gate'), await ended('lr-desk-gate')];
    expect([gate.status.state, desk.status.state]).toEqual(['done', 'done']);
    expect(gate.status.steps['lr-gate-a/set-up']?.text).toBe('nothing to change');
    expect(lies('lr-desk-router', '/etc/bird/bird.conf')).toContain('route 10.62.8.0/25 via 10.62.0.2;');
  });
  it('whose interface is not there is not touched, and the member is named', async () => {
    const g = await of('lr-gate');
    const before = lies('lr-gate-b', '/etc/bird/bird.conf');
    const odd = structuredClone(g);
    (odd.members[1]?.interfaces[0] as { name?: string }).name = 'vlan999';
    await save(odd);
    const last = await begin('lr-gate');
    expect([last.status.state, last.status.steps['lr-gate-b/judge']?.text]).toEqual([
      'failed',
      'lr-gate-b: it has no interface vlan999',
    ]);
    expect(lies('lr-gate-b', '/etc/bird/bird.conf')).toBe(before);
    await save(g);
    await c.good('POST', '/api/gateways/lr-gate/setup/resume');
    expect((await ended('lr-gate')).status.state).toBe('done');
  });
});
