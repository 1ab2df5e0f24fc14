import { createHash } from 'node:crypto';
import type { KubeList, KubeNode } from '@praesidor/protocols/kube';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { buildOf, builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

const i = new Installation();
let c: Client;
let p: Plover;
const host = async (name: string) => (await c.estate()).hosts.find((h) => h.name === name);
const logOf = async (number: number, step: string) =>
  (
    await c.good<{ lines: { line: string }[] }>('GET', `/api/builds/plover/${number}/log?step=${encodeURIComponent(step)}`)
  ).lines.map((l) => l.line);

interface Owned {
  metadata: { name: string; ownerReferences: { kind: string }[] };
}
/** Pods on a node that can run elsewhere. */
const podsOn = async (node: string) =>
  ((await p.ask<KubeList<Owned>>(`/api/v1/pods?fieldSelector=spec.nodeName%3D${node}`))?.items ?? [])
    .filter((x) => x.metadata.ownerReferences[0]?.kind !== 'DaemonSet')
    .map((x) => x.metadata.name);
const nodes = async () => ((await p.ask<KubeList<KubeNode>>('/api/v1/nodes'))?.items ?? []).map((n) => n.metadata.name);

const names = async () => (await p.serving()).map((h) => h.name);

describe('the hosts of a cluster that stands', () => {
  let first: string[] = [];
  let added = '';
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    await p.set('small first', [['workers', 'count'], 1]);
    expect((await p.due())?.kind).toBe('build');
    await p.begin('build');
    expect((await builtOrBroken(c)).status.state).toBe('done');
    first = await names();
    expect(first).toHaveLength(4);
  });
  afterAll(() => i.stop());

  it('stay as they are while nothing is due', async () => {
    expect(await p.due()).toBeNull();
    const a = await p.begin('add-hosts');
    expect([a.status, a.body.message]).toEqual([409, 'plover stands as planned: there is nothing to add hosts.']);
  });

  it('one is added: prepared, joined, proved, and nobody else is touched', async () => {
    await p.set('one more', [['workers', 'count'], 2]);
    const plan = await p.due();
    expect([plan?.kind, plan?.leaves, plan?.joins.length]).toEqual(['add-hosts', [], 1]);
    added = plan?.joins[0] ?? '';
    expect(plan?.title).toBe(`Add ${added} to plover`);
    // What somebody saw is begun, and nothing else.
    expect((await p.begin('build')).body.message).toBe(`What is due for plover is “Add ${added} to plover” by now, not “Build”.`);
    const starts = new Map([...i.world.machines].map(([name, m]) => [name, m.log.length]));
    expect((await p.begin('add-hosts')).body.number).toBe(2);
    // A second person who begins it in the same moment is told who was first.
    expect((await p.begin('add-hosts')).body.message).toContain(
      `“Add ${added} to plover” is under way already: number 2 of plover`,
    );
    const b = await builtOrBroken(c, 2);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.proof?.find((p) => p.what === 'nodes ready')?.found).toBe('5 of 5');
    // Pulls are counted of those who came.
    expect(b.proof?.find((p) => p.what === 'images pulled from the mirror')?.planned).toMatch(/^1\d of 1\d$/);
    expect((await names()).sort()).toEqual([...first, added].sort());
    for (const name of first) expect(i.world.machines.get(name)?.log.length, name).toBe(starts.get(name));
    expect(await p.due()).toBeNull();
  });

  it('one that died is replaced: nobody waits for its pods, and another takes its place', async () => {
    const [dead = ''] = (await c.estate()).hosts
      .filter((h) => h.held?.charter === 'plover' && h.held.role === 'worker')
      .map((h) => h.name);
    i.world.machines.get(dead)?.powerOff();
    await p.set('it died', [['except'], [...((await c.estate()).charters.find((x) => x.name === 'plover')?.except ?? []), dead]]);
    const plan = await p.due();
    expect(plan?.kind).toBe('replace-hosts');
    const fresh = plan?.joins[0] ?? '';
    expect(plan?.title).toBe(`Replace ${dead} of plover by ${fresh}`);
    // Its controller died with it: nobody here can see that it is off.
    i.plant('bmc-silent', dead);
    await p.begin('replace-hosts');
    const stuck = await eventually(async () => {
      const step = (await buildOf(c, 3)).status.steps[`${dead}/leave`];
      return step?.state === 'failed' && step;
    }, 'it cannot be switched off');
    expect([stuck.code, stuck.text]).toEqual(['not-off', expect.stringContaining(`${dead} cannot be switched off from here`)]);
    expect(await nodes()).toContain(dead);
    // Somebody says so who saw to it, by the name of a host of this change.
    const goOn = (off: string[]) => c.call('POST', '/api/builds/plover/3/resume', { off });
    await builtOrBroken(c, 3);
    expect((await goOn([first[0] ?? ''])).status).toBe(422);
    expect((await goOn([dead])).status).toBe(200);
    const said = `resumed a build and said that ${dead} is off`;
    expect(await i.query('select count(*)::int as n from audit where act = $1', [said])).toEqual([{ n: 1 }]);
    const b = await eventually(async () => {
      const now = await buildOf(c, 3);
      return now.status.state === 'done' && now;
    }, 'it is done');
    i.world.faults.lift({ kind: 'bmc-silent', subject: dead });
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.status.steps[`${dead}/drain`]?.text).toContain('does not answer');
    expect(await nodes()).toContain(fresh);
    expect(await nodes()).not.toContain(dead);
    expect((await host(fresh))?.state).toBe('serving');
  });

  it('one is removed when its pods may go: a budget holds it until it allows it, and says so', async () => {
    const labels = { app: 'tides' };
    await p.give('/apis/apps/v1/namespaces/default/deployments/tides', {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'tides', namespace: 'default' },
      spec: {
        replicas: 3,
        selector: { matchLabels: labels },
        template: {
          metadata: { labels },
          spec: {
            containers: [
              {
                name: 'tides',
                image: 'images.upstream.example/core/pause:1.34.2',
                resources: { requests: { cpu: '1500m' } },
              },
            ],
          },
        },
      },
    });
    const budget = '/apis/policy/v1/namespaces/default/poddisruptionbudgets/tides';
    await p.give(budget, {
      apiVersion: 'policy/v1',
      kind: 'PodDisruptionBudget',
      metadata: { name: 'tides', namespace: 'default' },
      spec: { minAvailable: 3, selector: { matchLabels: labels } },
    });
    const leaves = await eventually(async () => {
      for (const h of await names()) if ((await podsOn(h)).some((p) => p.startsWith('tides'))) return h;
      return undefined;
    }, 'a worker has one of its pods');
    const except = (await c.estate()).charters.find((x) => x.name === 'plover')?.except ?? [];
    await p.set('one fewer', [['workers', 'count'], 1], [['except'], [...except, leaves]]);
    const plan = await p.due();
    expect([plan?.kind, plan?.joins, plan?.leaves]).toEqual(['remove-hosts', [], [leaves]]);
    expect(plan?.point?.step).toBe(`${leaves}/leave`);
    // What runs asks for 3 × 1.5 cores, beside what the programs of the cluster ask for.
    expect(plan?.requested?.cores).toBeGreaterThanOrEqual(4.5);
    expect((await p.begin('remove-hosts')).body.number).toBe(4);
    const said = 'The disruption budget tides needs 3 healthy pods and has 3 currently';
    let log: string[] = [];
    await eventually(
      async () => {
        log = await logOf(4, `${leaves}/drain`);
        return log.some((l) => l.endsWith(said));
      },
      () => `the log names the budget; it is ${log.join('\n')}`,
    );
    expect(i.world.machines.get(leaves)?.power).toBe('On');
    expect((await host(leaves))?.state).toBe('serving');
    await p.ask(budget, { method: 'DELETE' });
    const b = await builtOrBroken(c, 4);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.find((p) => p.what === 'hosts that left')).toMatchObject({ good: true, found: 'none in the API' });
    expect(b.status.steps[`${leaves}/drain`]?.text).toMatch(/^\d+ pods? went elsewhere$/);
    expect(i.world.machines.get(leaves)?.power).toBe('Off');
    expect(await nodes()).not.toContain(leaves);
    const after = await host(leaves);
    expect([after?.state, after?.held]).toEqual(['resting', undefined]);
  });

  it('a member of the control plane is replaced: etcd backed up, the old one out before the new one joins', async () => {
    const e = await c.estate();
    // What was taken out rests; wiped, it is free again.
    const resting = await p.wipeResting();
    const except = e.charters.find((x) => x.name === 'plover')?.except ?? [];
    const goes = e.hosts.find((h) => h.held?.charter === 'plover' && h.held.role === 'control-plane')?.name ?? '';
    await p.set('its turn', [['except'], [...except.filter((h) => !resting.includes(h)), goes]]);
    const plan = await p.due();
    const comes = plan?.joins[0] ?? '';
    expect([plan?.kind, plan?.leaves, plan?.refused]).toEqual(['replace-hosts', [goes], []]);
    // A workload that is written down in etcd is there afterwards.
    await p.give('/api/v1/namespaces/default/configmaps/tide-table', {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'tide-table', namespace: 'default' },
      data: { high: '04:12' },
    });
    expect((await p.begin('replace-hosts')).body.number).toBe(5);
    const b = await builtOrBroken(c, 5);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.status.steps[`${goes}/member`]?.text).toBe('taken out: 2 of 3 members are left');
    const at = (step: string, when: 'started' | 'ended') => Date.parse(b.status.steps[step]?.[when] ?? '');
    expect(at('backup', 'ended')).toBeLessThanOrEqual(at(`${goes}/drain`, 'started'));
    expect(at(`${goes}/member`, 'ended')).toBeLessThanOrEqual(at(`${comes}/join`, 'started'));
    expect(b.proof?.find((p) => p.what === 'members behind the API address')?.found.split(', ')).toHaveLength(3);
    expect(await nodes()).toContain(comes);
    const kept = await p.ask<{ data: { high: string } }>('/api/v1/namespaces/default/configmaps/tide-table');
    expect(kept?.data.high).toBe('04:12');
    // The backup is what etcd gave, byte by byte, with its own checksum at its end.
    const { backups } = await c.good<{ backups: { id: number; bytes: number; sha256: string; number: number }[] }>(
      'GET',
      '/api/charters/plover/etcd-backups',
    );
    expect(backups.map((x) => x.number)).toEqual([5]);
    const r = await fetch(`${i.config.publicUrl}/api/charters/plover/etcd-backups/${backups[0]?.id}/snapshot.db`, {
      headers: { cookie: c.cookie },
    });
    const bytes = Buffer.from(await r.arrayBuffer());
    const sha = (x: Buffer) => createHash('sha256').update(x).digest('hex');
    expect([bytes.length, sha(bytes)]).toEqual([backups[0]?.bytes, backups[0]?.sha256]);
    expect(sha(bytes.subarray(0, -32))).toBe(bytes.subarray(-32).toString('hex'));
    expect(bytes.includes('tide-table')).toBe(true);
    // In the database it is sealed.
    const stored = await i.query<{ sealed: Buffer }>('select sealed from etcd_backup_piece');
    expect(stored.every((p) => !p.sealed.includes('tide-table'))).toBe(true);
    expect(
      (await (await i.as('planner')).call('GET', `/api/charters/plover/etcd-backups/${backups[0]?.id}/snapshot.db`)).status,
    ).toBe(403);
  });

  it.each(['worker', 'control-plane'] as const)(
    'a %s is replaced, and its address kept: the other comes when it has left',
    async (role) => {
      const e = await c.estate();
      const resting = await p.wipeResting();
      const except = e.charters.find((x) => x.name === 'plover')?.except ?? [];
      const goes = e.hosts.find((h) => h.held?.charter === 'plover' && h.held.role === role && h.state === 'serving')?.name ?? '';
      const address = e.reservations.find((r) => r.owner.use === `node ${goes}`)?.address;
      await p.set('its turn', [['keepAddresses'], true], [['except'], [...except.filter((h) => !resting.includes(h)), goes]]);
      const plan = await p.due();
      const comes = plan?.joins[0] ?? '';
      expect([plan?.kind, plan?.leaves, plan?.refused]).toEqual(['replace-hosts', [goes], []]);
      expect(plan?.rows[0]?.how).toBe(`installed anew, when ${goes} has left: it has its address`);
      const { number } = (await p.begin('replace-hosts')).body;
      // While it serves, it has it.
      const owner = async () => (await c.estate()).reservations.find((r) => r.address === address)?.owner.use;
      expect(await owner()).toBe(`node ${goes}`);
      const b = await p.done(number);
      expect(b.proof?.filter((l) => !l.good)).toEqual([]);
      const at = (step: string, when: 'started' | 'ended') => Date.parse(b.status.steps[step]?.[when] ?? '');
      expect(at(`${goes}/leave`, 'ended')).toBeLessThanOrEqual(at(`${comes}/power`, 'started'));
      expect(b.status.steps[`${goes}/leave`]?.text).toContain(`${address} is ${comes}'s`);
      expect(await owner()).toBe(`node ${comes}`);
      const node = await p.ask<{ status: { addresses: { address: string }[] } }>(`/api/v1/nodes/${comes}`);
      expect(node?.status.addresses.map((a) => a.address)).toContain(address);
      const records = i.world.dns.zones.flatMap((z) => z.records).filter((r) => r.type === 'A' && r.value === address);
      expect(records.map((r) => r.name.split('.')[0])).toEqual([comes]);
      expect(await nodes()).not.toContain(goes);
    },
  );
});
