import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Measured } from '@praesidor/contract';
import { createServer } from 'node:net';
import { type Client, Installation } from './installation.ts';

/** Gateways as documents at the server, and paths that are measured. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('builder');
});
afterAll(() => i.stop());
const gateway = (more: object = {}) => ({
  kind: 'Gateway',
  name: 'lr-side',
  site: 'lr',
  members: [{ name: 'lr-side-a', interfaces: [{ network: 'lr-machine', address: '10.62.8.120' }] }],
  ...more,
});

describe('a gateway', () => {
  it('is declared, changed and undone like any document; the checks see it at once', async () => {
    const planner = await i.as('planner');
    const { act } = await planner.good<{ act: number }>('POST', '/api/import', { text: JSON.stringify(gateway()) });
    expect((await c.estate()).gateways.map((g) => g.name)).toContain('lr-side');
    await planner.good('POST', `/api/acts/${act}/undo`);
    expect((await c.estate()).gateways.map((g) => g.name)).not.toContain('lr-side');
    expect((await (await i.as('reader')).call('POST', '/api/import', { text: JSON.stringify(gateway()) })).status).toBe(403);
  });
  it.each([
    ['two members of one name', { members: [gateway().members[0], gateway().members[0]] }, 'is another member'],
    ['no member', { members: [] }, 'members'],
    [
      'a member that leads and is not there',
      { addresses: [{ network: 'lr-machine', address: '10.62.8.121', id: 3, leads: 'x' }] },
      'has no member x',
    ],
    ['a port of no protocol', { rules: [{ do: 'deny', port: 22 }] }, 'only TCP and UDP have ports'],
    ['two versions of IP in one rule', { nat: [{ from: '10.62.8.0/25', to: 'fd00::1' }] }, 'one version of IP'],
    [
      'a line break in a name of an interface',
      { members: [{ name: 'm', interfaces: [{ network: 'lr-machine', address: '10.62.8.120', name: 'eno1\n notify' }] }] },
      'interface',
    ],
  ])('with %s is refused, and says where', async (_, more, why) => {
    const a = await c.call('POST', '/api/import', { text: JSON.stringify(gateway(more)) });
    expect([a.status, JSON.stringify(a.body)]).toEqual([422, expect.stringContaining(why)]);
  });
  it('keeps its networks from being deleted', async () => {
    const a = await c.call('POST', '/api/edits', { why: 'x', edits: [{ op: 'drop', kind: 'Network', key: 'lr-up-b' }] });
    expect([a.status, JSON.stringify(a.body)]).toEqual([409, expect.stringContaining('Gateway lr-gate')]);
  });
  it('has its addresses: nothing else is given them', async () => {
    // .126 and .125, the last of the network, are those of lr-gate-b and lr-gate-a.
    const { reservations } = await c.good<{ reservations: { address: string }[] }>('POST', '/api/addresses/reserve', {
      network: 'lr-machine',
      how: 'highest',
      owner: { kind: 'hand', name: 'x' },
    });
    expect(reservations.map((r) => r.address)).toEqual(['10.62.8.124']);
  });
});

describe('a path that is measured', () => {
  const measure = (to: string, port?: number) =>
    c.call<Measured>('POST', '/api/reach/measure', { to, ...(port ? { port } : {}) });
  it('tells whether connections are taken, and the largest packet that passes', async () => {
    // Somebody who takes connections at the inbound address of plover, where the tests' address map leads.
    const shift = i.config.addressMap[0]?.portShift ?? 0;
    const server = createServer();
    await new Promise<void>((done) => {
      server.listen(8443 + shift, '127.62.8.21', done);
    });
    const good = await measure('plover/inbound', 8443);
    await new Promise((done) => server.close(done));
    // Loopback has an MTU of 65,536 (or 65,535 as some kernels count it).
    expect(good.body).toMatchObject({ address: '10.62.8.21', port: 8443, answered: true, why: null });
    expect(good.body.pathMtu).toBeGreaterThan(60_000);
    const none = await measure('plover/inbound', 8443);
    expect(none.body).toMatchObject({ answered: false, pathMtu: null, why: expect.stringContaining('10.62.8.21:8443') });
  });
  it('is one of a cluster, by whoever may connect', async () => {
    expect((await measure('10.62.8.53')).status).toBe(409);
    expect((await measure('8.8.8.8')).status).toBe(422);
    expect((await measure('127.0.0.1')).status).toBe(422);
    const feed = await measure('plover/ais-feed');
    expect([feed.status, feed.body]).toMatchObject([422, { message: expect.stringContaining('answers by UDP') }]);
    expect((await (await i.as('planner')).call('POST', '/api/reach/measure', { to: 'plover' })).status).toBe(403);
  });
});
