import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ClusterSecrets } from '../src/db/tables.ts';
import { issue, secretOf } from '../src/areas/clusters/pki.ts';
import { buildOf, builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

/** What an engineer sees when things go wrong in the life of a cluster, and how it goes on from there. */
const i = new Installation();
let c: Client;
let p: Plover;
let members: string[] = [];
let workers: string[] = [];

const machine = (host: string) => {
  const m = i.world.machines.get(host);
  if (!m) throw new Error(`there is no machine ${host}`);
  return m;
};
const up = () => i.world.clusters.list().find((x) => x.name === 'plover')?.up ?? false;
const failed = async (number: number) => {
  const b = await builtOrBroken(c, number);
  return Object.entries(b.status.steps)
    .filter(([, s]) => s.state === 'failed')
    .map(([id, s]) => ({ id, text: s.text ?? '', remedy: s.remedy ?? '', code: s.code }));
};
const begun = async (number: number) =>
  new Set(Object.entries((await buildOf(c, number)).status.steps).flatMap(([id, s]) => (s.attempt ? [id.split('/')[0]] : [])));
const resume = (number: number, how: object = {}) => c.good('POST', `/api/builds/plover/${number}/resume`, how);

beforeAll(async () => {
  await i.start({ timeoutSeconds: 3 });
  c = await i.as('warden');
  p = new Plover(i, c);
  await prepare(c);
  await p.set('two workers', [['workers', 'count'], 2]);
  await p.begin('build');
  await p.done(1);
  const serving = await p.serving();
  members = serving.filter((h) => h.held?.role === 'control-plane').map((h) => h.name);
  workers = serving.filter((h) => h.held?.role === 'worker').map((h) => h.name);
});
afterAll(() => i.stop());

describe('hosts that are started anew', () => {
  it('one that never comes back stays where it is: the rest is not begun, and the cluster goes on', async () => {
    await p.set('another zone', [['timezone'], 'Europe/Lisbon']);
    const due = await p.due();
    expect([due?.kind, due?.joins.length]).toEqual(['apply', 5]);
    const [first = '', second = ''] = due?.joins ?? [];
    i.plant('node-never-boots', first);
    expect((await p.begin('apply')).body.number).toBe(2);
    const [broke, ...more] = await failed(2);
    expect([broke?.id, more]).toEqual([`${first}/system`, []]);
    expect(broke?.text).toContain(`${first} has power and never asked for its boot program`);
    expect(await begun(2)).toEqual(new Set(['preflight', 'names', 'backup', first]));
    expect([machine(second).power, up()]).toEqual(['On', true]);
    i.lift('node-never-boots', first);
  });

  it('a member is not let go while etcd would lose its majority: two lost in the middle of it', async () => {
    const [first = '', second = '', third = ''] = members;
    // The first comes back by the resume; the third is lost before the second is let go.
    machine(third).powerOff();
    await resume(2);
    const [broke, ...more] = await failed(2);
    expect([broke?.id, more]).toEqual([`${second}/drain`, []]);
    expect(broke?.text).toContain(`etcd would lose its majority without ${second}: ${third} does not answer, and 2 of 3 must`);
    expect([broke?.remedy, broke?.code]).toEqual(['Bring back the members that do not answer, then resume.', undefined]);
    expect([machine(first).power, machine(second).power, up()]).toEqual(['On', 'On', true]);
    // And the second too: the first has no leader then, and nothing is touched.
    machine(second).powerOff();
    await resume(2);
    expect((await failed(2))[0]?.text).toContain(
      `etcd would lose its majority without ${second}: ${first} and ${third} do not answer`,
    );
    // Where there is no majority to lose, it is for somebody to decide.
    expect((await failed(2))[0]?.code).toBe('not-drained');
    machine(second).powerOn();
    await eventually(() => Promise.resolve(up()), 'the API answers again');
    // There is one again: that its pods may be left is no word about etcd.
    await resume(2, { undrained: [second] });
    expect((await failed(2))[0]).toMatchObject({
      id: `${second}/drain`,
      text: expect.stringContaining(`${third} does not answer`),
    });
    expect(machine(second).power).toBe('On');
    machine(third).powerOn();
    await eventually(
      async () =>
        i.world.clusters
          .list()
          .find((x) => x.name === 'plover')
          ?.members.includes(third),
      'the third is back',
    );
  });

  it('one that comes back with another disk is not laid out over what is planned: the disk is named', async () => {
    const [worker = ''] = workers;
    const m = machine(worker);
    const was = m.serials;
    // Somebody has changed the second drive.
    m.hardware.diskSerials = [was[0] ?? '', 'OTHER-1'];
    await resume(2);
    const [broke, ...more] = await failed(2);
    expect([broke?.id, more]).toEqual([`${worker}/system`, []]);
    expect(broke?.text).toContain(`no disk has the serial ${was[1]?.toLowerCase().replace('-', '')}`);
    expect(broke?.remedy).toContain('Look at the drives of this host');
    m.hardware.diskSerials = was;
    await resume(2);
    await p.done(2);
    expect(await p.due()).toBeNull();
  });
});

describe('certificates that have ended', () => {
  it('of the API servers: it is said, and they are renewed by somebody who decides to go on without asking the API', async () => {
    // Since yesterday, on every member: the API still runs, and nobody trusts it.
    const rows = await i.running.ctx.db.manager.findBy(ClusterSecrets, { charter: 'plover' });
    const have = new Map(rows.map((r) => [r.name, secretOf(i.config, 'plover', r)]));
    const plan = (await c.good<{ plan: { certificates: { name: string }[] } }>('GET', '/api/builds/plover/1')).plan;
    for (const host of members) {
      const planned = plan.certificates.find((x) => x.name === 'apiserver') as never as Parameters<typeof issue>[0];
      const { cert, key } = await issue({ ...planned, days: -1 }, have);
      const m = machine(host);
      i.world.clusters.left(m);
      Object.assign(m.installed?.files ?? {}, {
        '/etc/kubernetes/pki/apiserver.crt': cert,
        '/etc/kubernetes/pki/apiserver.key': key,
      });
    }
    for (const host of members) i.world.clusters.joined(machine(host), machine(host).installed as never);
    // Of hosts that run they could be renewed over SSH without asking the API; here that is closed.
    await p.set('closed', [['certificates'], { renewed: 'restart' }]);
    expect((await c.call('POST', '/api/builds', { charter: 'plover', kind: 'renew' })).body).toMatchObject({ number: 3 });
    const [broke] = await failed(3);
    expect(broke).toMatchObject({ id: `${members[0]}/drain`, code: 'not-drained' });
    expect(broke?.text).toMatch(/certificate .*(has ended|ended|expired)/);
    await resume(3, { undrained: [...members, ...workers] });
    await p.done(3);
    expect((await p.ask<{ gitVersion: string }>('/version'))?.gitVersion).toMatch(/^v1/);
  });
});
