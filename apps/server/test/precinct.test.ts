import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { PrecinctMade } from '@praesidor/contract';
import type { Charter, Estate } from '@praesidor/core/model';
import { type Client, Installation, prepare } from './installation.ts';

/** A network of its own for a cluster: made, kept from others, undone, and given back with it. */
const i = new Installation();
let planner: Client;
beforeAll(async () => {
  await i.start();
  planner = await i.as('planner');
  // Its hosts are known.
  await prepare(await i.as('builder'));
});
afterAll(() => i.stop());

const estate = (): Promise<Estate> => planner.estate();
const of = (e: Estate, name: string) => ({
  charter: e.charters.find((c) => c.name === name),
  addresses: e.reservations.filter((r) => r.owner.kind === 'charter' && r.owner.name === name).map((r) => r.address),
  hosts: e.hosts.filter((h) => h.held?.charter === name).map((h) => h.name),
});
const gate = (e: Estate) => e.gateways.find((g) => g.name === 'lr-gate');
const carve = (name: string, from = 'lr-precincts', by = planner) =>
  by.call<PrecinctMade>('POST', `/api/charters/${name}/precinct`, { from });
/** Another cluster at the site, on one host: the hosts of the demonstration are few. */
const another = async (name: string): Promise<void> => {
  const plover = of(await estate(), 'plover').charter as Charter;
  const doc = {
    ...plover,
    name,
    servicePool: undefined,
    pods: { ...plover.pods, range: '10.150.0.0/16' },
    services: { range: '10.151.0.0/18' },
    controlPlane: { count: 1 },
    workers: { count: 0 },
    api: {},
    inbound: {},
  };
  await planner.good('PUT', `/api/charters/${name}`, { doc, version: 0, hold: false });
};

describe('a precinct', () => {
  it('is carved in one act: network, gateway, charter, and what is held anew; undone in one as well', async () => {
    await planner.good('POST', '/api/charters/plover/hold');
    const before = await estate();
    expect(of(before, 'plover').addresses.every((a) => a.startsWith('10.62.8.'))).toBe(true);
    const made = await carve('plover');
    expect([made.status, JSON.stringify(made.body)]).toEqual([200, expect.any(String)]);
    expect(made.body.precinct).toMatchObject({
      prefix: '10.62.128.0/24',
      vlan: 860,
      outbound: [
        { network: 'lr-up-a', address: '10.62.0.3' },
        { network: 'lr-up-b', address: '10.62.0.11' },
      ],
    });
    const after = await estate();
    const mine = of(after, 'plover');
    expect(mine.charter?.machineNetwork).toBe('plover-precinct');
    expect(mine.addresses.length).toBeGreaterThan(5);
    expect(mine.addresses.every((a) => a.startsWith('10.62.128.'))).toBe(true);
    expect(gate(after)?.nat.map((n) => `${n.from} ${n.to}`)).toEqual(['10.62.128.0/24 10.62.0.3', '10.62.128.0/24 10.62.0.11']);
    await planner.good('POST', `/api/acts/${made.body.act}/undo`);
    const undone = await estate();
    expect(undone.networks.map((n) => n.name)).toEqual(before.networks.map((n) => n.name));
    expect(gate(undone)).toEqual(gate(before));
    expect(of(undone, 'plover').addresses.sort()).toEqual(of(before, 'plover').addresses.sort());
  });

  it('is given to one cluster each, also to two that ask at once', async () => {
    await another('teal');
    await another('knot');
    const both = await Promise.all([carve('teal'), carve('knot')]);
    // Who comes second reads what the first one made, or is told to look again.
    for (const [k, a] of both.entries())
      if (a.status === 409) expect((await carve(['teal', 'knot'][k] as string)).status).toBe(200);
      else expect(a.status).toBe(200);
    const e = await estate();
    const precincts = e.networks.filter((n) => n.precinct);
    expect(precincts.map((n) => n.precinct).sort()).toEqual(['knot', 'teal']);
    expect(new Set(precincts.map((n) => n.prefix)).size).toBe(2);
    expect(new Set(precincts.map((n) => n.vlan)).size).toBe(2);
    expect(gate(e)?.nat.length).toBe(4);
    expect(new Set(gate(e)?.nat.map((n) => n.to)).size).toBe(4);
  });

  it.each([
    ['twice', 'teal', 'lr-precincts', 'teal has a precinct'],
    ['out of a network that has none', 'plover', 'lr-machine', 'No precincts are carved out of lr-machine'],
    ['at another site', 'tern', 'lr-precincts', 'is at another site'],
    ['for nobody', 'nobody', 'lr-precincts', 'There is no charter nobody'],
  ])('is not carved %s', async (_, name, from, why) => {
    const a = await carve(name, from);
    expect([a.status >= 400, JSON.stringify(a.body)]).toEqual([true, expect.stringContaining(why)]);
  });
  it('is not carved by a reader, nor is a charter deleted by one', async () => {
    const reader = await i.as('reader');
    expect((await carve('plover', 'lr-precincts', reader)).status).toBe(403);
    expect((await reader.call('DELETE', '/api/charters/teal')).status).toBe(403);
  });
  it('keeps its network and its charter from being deleted apart from each other', async () => {
    const drop = (kind: string, key: string) =>
      planner.call('POST', '/api/edits', { why: 'x', edits: [{ op: 'drop', kind, key }] });
    expect((await drop('Network', 'teal-precinct')).status).toBe(409);
    expect((await drop('Charter', 'teal')).status).toBe(409);
  });
});

describe('a charter', () => {
  it('is deleted with its precinct, its addresses and its held hosts, and comes back with all of it', async () => {
    await planner.good('POST', '/api/charters/teal/hold');
    const before = await estate();
    expect(of(before, 'teal').addresses[0]).toMatch(/^10\.62\.12[89]\.188$/);
    const { act } = await planner.good<{ act: number }>('DELETE', '/api/charters/teal');
    const e = await estate();
    expect(of(e, 'teal')).toEqual({ charter: undefined, addresses: [], hosts: [] });
    expect(e.networks.map((n) => n.precinct).filter(Boolean)).toEqual(['knot']);
    expect(gate(e)?.nat.length).toBe(2);
    await planner.good('POST', `/api/acts/${act}/undo`);
    const back = await estate();
    expect(of(back, 'teal')).toEqual(of(before, 'teal'));
    expect(gate(back)).toEqual(gate(before));
  });
  it('whose hosts serve, or are not wiped, is not deleted: what comes first is said', async () => {
    const host = of(await estate(), 'plover').hosts[0];
    expect(host).toBeDefined();
    const as = (state: string, held: object) =>
      i.query('update host_state set doc = doc || $2::jsonb, version = version + 1 where key = $1', [
        host,
        JSON.stringify({ state, held: { charter: 'plover', role: 'worker', ...held } }),
      ]);
    const asked = async () => {
      const deleted = await planner.call('DELETE', '/api/charters/plover');
      const carved = await carve('plover');
      return [deleted.status, JSON.stringify(deleted.body), carved.status, JSON.stringify(carved.body)];
    };
    await as('serving', {});
    const serves = expect.stringContaining('Take the cluster down first');
    expect(await asked()).toEqual([409, serves, 409, serves]);
    await as('held', { installed: 'plover 1' });
    const lies = expect.stringContaining('Give the hosts back first');
    expect(await asked()).toEqual([409, lies, 409, lies]);
  });
});
