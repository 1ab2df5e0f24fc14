import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Objects } from '../../../packages/standins/src/objects.ts';
import { check } from '@praesidor/core/checks';
import type { SeenVolumes } from '@praesidor/contract';
import { apply, halt, kube, type KubeList, type KubeObject, remove, revive, usersOf } from '@praesidor/protocols/kube';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { backupsDue } from '../src/areas/backups/due.ts';
import { backUp, backupEnded, backupsOf, declareVolume, deployVolume } from './volume-of-plover.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** plover with a local class and a workload with a volume, of which nightly backups go to an object store: from the bytes on a host to the archive that comes back. */
let i: Installation;
let c: Client;
let write: (name: string, bytes: Buffer, on?: string) => void;
let there: Awaited<ReturnType<typeof deployVolume>>;
let store: Objects;
const out = mkdtempSync(join(tmpdir(), 'given-back-'));

const now = () => backupsOf(c);
const edit = (path: (string | number)[], value: unknown, kind = 'Charter', key = 'plover') =>
  c.good('POST', '/api/edits', { why: 'backups', edits: [{ op: 'set', kind, key, path, value }] });
const made = () => backUp(c);
const blocks = () => store.keys('backups').filter((k) => k.key.startsWith('blocks/'));
const tide = (n: number) => Buffer.from(`high water ${n}\n`.repeat(60_000));

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 20 });
  c = await i.as('warden');
  await prepare(c);
  await declareVolume(c);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  const built = await builtOrBroken(c);
  expect(built.status.state).toBe('done');
  there = await deployVolume(i);
  write = there.write;
  store = i.world.objects.get('bw-objects') as Objects;
});
afterEach(() => {
  for (const f of i.world.faults.list()) i.world.faults.lift(f);
});
afterAll(async () => {
  await i.stop();
  rmSync(out, { recursive: true, force: true });
});

describe('a volume of a cluster', () => {
  it('is backed up from the host where it lies, encrypted, and comes back byte by byte through tar', async () => {
    write('tides/2026', tide(1));
    const run = await made();
    expect([run.status.state, run.status.steps['copy/ais-store/data']?.text]).toEqual([
      'done',
      expect.stringMatching(/were sent to bw-objects$/),
    ]);
    const { backups } = await now();
    expect(backups).toEqual([
      expect.objectContaining({
        volume: 'ais-store/data',
        plan: 'nightly',
        store: 'bw-objects',
        madeBy: 'warden',
        tried: null,
      }),
    ]);
    const [{ id = 0, bytes = 0 } = {}] = backups;
    expect(bytes).toBeGreaterThan(tide(1).length);
    for (const k of store.keys('backups')) expect(k.key).not.toContain('tides');
    const answer = await fetch(`${c.url}/api/charters/plover/backups/${id}/volume.tar`, { headers: { cookie: c.cookie } });
    const tar = join(out, 'volume.tar');
    writeFileSync(tar, Buffer.from(await answer.arrayBuffer()));
    mkdirSync(join(out, 'one'));
    expect(spawnSync('tar', ['-xf', tar, '-C', join(out, 'one')]).status).toBe(0);
    expect(readFileSync(join(out, 'one/tides/2026')).equals(tide(1))).toBe(true);
    const taken = await c.good<{ acts: { act: string }[] }>('GET', '/api/acts?limit=3');
    expect(taken.acts[0]?.act).toBe('took a backup of a volume');
  });
  it('that did not change sends nothing; of what no plan keeps, blocks go', async () => {
    await made();
    expect((await now()).backups[0]?.sent).toBe(0);
    write('tides/2026', tide(2));
    const run = await made();
    const { backups } = await now();
    // Of three the newest two are kept.
    expect(backups).toHaveLength(2);
    expect(run.status.steps['keep/bw-objects']?.text).toMatch(/^1 backup dropped/);
    // The second is of what the first was: its blocks are still needed.
    expect(blocks().length).toBe(2);
    await made();
    expect(blocks().length).toBe(1);
  });
  it('is tested: what comes back is counted, and a bit that turned is found and named with all backups that need it', async () => {
    const test = async () => backupEnded(c, (await c.good<{ id: number }>('POST', '/api/charters/plover/backups/test', {})).id);
    const good = await test();
    expect(good.status.steps['trial/ais-store/data']?.text).toMatch(/with 1 file came back as they were sent/);
    expect((await now()).backups[0]?.tried).toMatchObject({ good: true });
    const [block] = blocks();
    store.spoil('backups', block?.key ?? '');
    const bad = await test();
    expect(bad.status.state).toBe('failed');
    const { backups } = await now();
    expect(backups[0]?.tried).toMatchObject({
      good: false,
      text: expect.stringMatching(/^block 0 \([0-9a-f]{12}\) is damaged; 1 other backup needs it: ais-store\/data of /),
    });
    const findings = async () =>
      check(await c.estate())
        .findings.filter((f) => f.code === 'STO-032')
        .map((f) => f.title);
    expect(await findings()).toEqual(['The newest backup of ais-store/data cannot be given back']);
    store.spoil('backups', block?.key ?? '');
    expect((await test()).status.state).toBe('done');
    expect(await findings()).toEqual([]);
  });
  it('goes on after the store was full, and says what to do', async () => {
    write('tides/2027', tide(3));
    i.plant('store-full', 'bw-objects');
    const run = await made();
    expect([run.status.state, run.status.steps['copy/ais-store/data']]).toEqual([
      'failed',
      expect.objectContaining({
        text: expect.stringContaining('backups has no room left'),
        remedy: 'Make room there, then resume.',
      }),
    ]);
    const before = (await now()).backups.length;
    i.lift('store-full', 'bw-objects');
    await c.good('POST', '/api/charters/plover/backups/resume');
    await eventually(async () => (await now()).last?.status.state === 'done', 'it goes on');
    expect((await now()).backups[0]?.bytes).toBeGreaterThan(2 * tide(3).length);
    expect(before).toBe(2);
  });
  const restored = async (id: number, body: object) => {
    const begun = await c.good<{ id: number; cluster: string }>('POST', `/api/charters/plover/backups/${id}/restore`, body);
    expect(begun.cluster).toBe('plover');
    return backupEnded(c, begun.id);
  };
  const over = { volume: 'ais-store/data', replace: 'ais-store/data' };
  it('is given back in the place of what it has: what uses it ends before, and is begun again', async () => {
    await made();
    const [{ id = 0 } = {}] = (await now()).backups;
    write('tides/2027', tide(99));
    write('tides/never', tide(7));
    const run = await restored(id, over);
    expect([run.status.state, ...run.steps.map((s) => `${s.kind}: ${run.status.steps[s.id]?.text}`)]).toEqual([
      'done',
      expect.stringMatching(/^trial: .* came back as they were sent/),
      'halt: ais-store had 1 pod: they have ended',
      expect.stringMatching(/^restore: .* each block as it was backed up/),
      'revive: 1 pod of ais-store ready',
    ]);
    expect([there.read('tides/2027')?.equals(tide(3)), there.read('tides/never'), await there.pods()]).toEqual([
      true,
      undefined,
      1,
    ]);
    const { acts } = await c.good<{ acts: { act: string }[] }>('GET', '/api/acts?limit=5');
    expect(acts.map((a) => a.act)).toContain('began to restore a volume');
  });
  it('is given back to a claim that is made for it, on a host that has room', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    const run = await restored(id, { claim: { namespace: 'default', name: 'ais-before' } });
    expect(run.status.steps).toMatchObject({ 'restore/default/ais-before': { state: 'done' } });
    const host = await there.lies('ais-before');
    expect([host === undefined, host === there.host]).toEqual([false, false]);
    expect(there.read('tides/2027', host)?.equals(tide(3))).toBe(true);
    // What had it meanwhile is gone.
    const all = await kube<KubeList<KubeObject>>(await there.api(), '/apis/apps/v1/namespaces/default/deployments');
    expect(all?.items.map((o) => o.metadata.name)).toEqual(['ais-store']);
    const taken = await c.call('POST', `/api/charters/plover/backups/${id}/restore`, {
      claim: { namespace: 'default', name: 'ais-store-data' },
    });
    expect([taken.status, taken.body.message]).toEqual([409, 'ais-store-data is the claim of ais-store/data.']);
  });
  it('takes nothing’s place where it is damaged, and ends nothing', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    const [block] = blocks();
    store.spoil('backups', block?.key ?? '');
    const run = await restored(id, over);
    expect([run.status.state, run.status.steps['halt/ais-store/data']?.state, await there.pods()]).toEqual([
      'failed',
      'waiting',
      1,
    ]);
    expect(there.read('tides/2027')?.equals(tide(3))).toBe(true);
    store.spoil('backups', block?.key ?? '');
    await c.good('POST', '/api/charters/plover/backups/resume');
    await eventually(async () => (await now()).last?.status.state === 'done', 'it goes on');
  });
  it('is held against what was backed up once it is written: a host that leaves a file out is found', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    there.spoil((s) => s.replaceAll('tar --extract --preserve', 'tar --extract --exclude=./tides/2027 --preserve'));
    const run = await restored(id, over);
    expect([run.status.state, run.status.steps['restore/ais-store/data']?.text]).toEqual([
      'failed',
      expect.stringMatching(/block \d+ of \/var\/lib\/containerd\/volumes\/scratch is another than the one that was backed up/),
    ]);
    // Nothing uses what is not whole.
    expect(await there.pods()).toBe(0);
    there.spoil((s) => s.replaceAll(' --exclude=./tides/2027', ''));
    // To go on with it is to restore.
    expect((await (await i.as('builder')).call('POST', '/api/charters/plover/backups/resume')).status).toBe(403);
    expect((await now()).last?.status.state).toBe('failed');
    await c.good('POST', '/api/charters/plover/backups/resume');
    await eventually(async () => (await now()).last?.status.state === 'done', 'it goes on');
    expect([there.read('tides/2027')?.equals(tide(3)), await there.pods()]).toEqual([true, 1]);
  });
  it('waits for whatever else uses it', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    write('tides/2027', tide(97));
    const at = await there.api();
    const own = await kube<KubeObject & { spec: { template: { metadata: object } } }>(
      at,
      '/apis/apps/v1/namespaces/default/deployments/ais-store',
    );
    const other = {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'ais-reader', namespace: 'default' },
      spec: {
        ...own?.spec,
        selector: { matchLabels: { app: 'reader' } },
        template: { ...own?.spec.template, metadata: { labels: { app: 'reader' } } },
      },
    } as KubeObject;
    await apply(at, other);
    const { id: run } = await c.good<{ id: number }>('POST', `/api/charters/plover/backups/${id}/restore`, over);
    await eventually(async () => (await there.pods()) === 0, 'its own pod ends');
    expect((await usersOf(at, 'default', 'ais-store-data')).map((p) => p.replace(/-\d+$/, ''))).toEqual(['ais-reader']);
    expect([(await now()).last?.status.steps['halt/ais-store/data']?.state, there.read('tides/2027')?.equals(tide(97))]).toEqual([
      'running',
      true,
    ]);
    await remove(at, other);
    expect((await backupEnded(c, run)).status.state).toBe('done');
    expect(there.read('tides/2027')?.equals(tide(3))).toBe(true);
  });
  it('has as many pods afterwards as before, however often they were ended', async () => {
    const at = await there.api();
    const o = { kind: 'Deployment', namespace: 'default', name: 'ais-store' } as const;
    const scale = (replicas: number) =>
      kube(at, '/apis/apps/v1/namespaces/default/deployments/ais-store', {
        method: 'PATCH',
        contentType: 'application/merge-patch+json',
        body: { spec: { replicas } },
      });
    await scale(2);
    expect([await halt(at, o), await halt(at, o), await there.pods()]).toEqual([2, 2, 0]);
    expect([(await revive(at, o))?.wanted, (await revive(at, o))?.wanted, await there.pods()]).toEqual([2, 2, 2]);
    await scale(1);
    expect(await halt(at, { ...o, name: 'nothing' })).toBeUndefined();
  });
  it('goes on where the server was ended in the middle of writing', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    write('tides/2027', tide(98));
    i.plant('store-slow', 'bw-objects');
    const { id: run } = await c.good<{ id: number }>('POST', `/api/charters/plover/backups/${id}/restore`, over);
    await eventually(async () => (await now()).last?.status.steps['restore/ais-store/data']?.state === 'running', 'it writes');
    await i.restart();
    i.lift('store-slow', 'bw-objects');
    c = await i.as('warden');
    expect((await backupEnded(c, run)).status.state).toBe('done');
    expect([there.read('tides/2027')?.equals(tide(3)), await there.pods()]).toEqual([true, 1]);
  });
  it('is given back by who may, where it says which is lost, and to what there is', async () => {
    const [{ id = 0 } = {}] = (await now()).backups;
    const ask = (body: object, who = c, at = id) => who.call('POST', `/api/charters/plover/backups/${at}/restore`, body);
    expect((await ask(over, await i.as('builder'))).status).toBe(403);
    expect(await ask({ volume: 'ais-store/data', replace: 'ais-store' })).toMatchObject({
      status: 409,
      body: { message: 'What ais-store/data has would be lost.' },
    });
    expect((await ask({ volume: 'ais-store/none', replace: 'ais-store/none' })).status).toBe(404);
    expect((await ask(over, c, 4711)).status).toBe(404);
    expect(await ask({ ...over, cluster: 'tern' })).toMatchObject({ status: 404 });
    const both = await Promise.all([ask(over), ask(over)]);
    expect(both.map((b) => b.status).sort()).toEqual([201, 409]);
    await eventually(async () => (await now()).last?.status.state === 'done', 'its end');
  });
  it('is backed up once for each time of its plan, whoever of two servers looks', async () => {
    const { ctx } = i.running;
    const count = async () => Number((await i.query<{ n: string }>("select count(*) as n from run where kind = 'backup'"))[0]?.n);
    const day = 86_400_000;
    await backupsDue(ctx);
    const had = await count();
    await Promise.all([backupsDue(ctx, Date.now() + day), backupsDue(ctx, Date.now() + day)]);
    await eventually(async () => (await now()).last?.status.state === 'done', 'the backup of the night');
    expect(await count()).toBe(had + 1);
    expect((await now()).last?.createdBy).toBe('Praesidor');
    // tern was built by something else: nobody can be asked there, and nothing fails every night.
    expect(await i.query("select 1 from run where kind = 'backup' and subject = 'tern'")).toEqual([]);
    expect(await c.call('POST', '/api/charters/tern/backups', {})).toMatchObject({
      status: 409,
      body: { message: 'tern was not built from here, or is being changed.' },
    });
  });
  it('is not backed up or taken out by who may not, twice at once, or where there is none', async () => {
    const planner = await i.as('planner');
    expect((await planner.call('POST', '/api/charters/plover/backups', {})).status).toBe(403);
    expect((await planner.call('GET', '/api/charters/plover/backups/1/volume.tar')).status).toBe(403);
    const both = await Promise.all([
      c.call('POST', '/api/charters/plover/backups', {}),
      c.call('POST', '/api/charters/plover/backups', {}),
    ]);
    expect(both.map((b) => b.status).sort()).toEqual([201, 409]);
    await eventually(async () => (await now()).last?.status.state === 'done', 'its end');
    expect(await c.call('POST', '/api/charters/plover/backups', { volumes: ['ais-store/none'] })).toMatchObject({ status: 404 });
    expect(await c.call('POST', '/api/charters/gannet/backups/resume')).toMatchObject({ status: 404 });
  });
  it('is not dropped while it is given back to another cluster, or that can be gone on with', async () => {
    const oldest = (await now()).backups.at(-1)?.id ?? 0;
    const set = (state: string) =>
      i.query(
        `update run set subject = 'gannet', state = $1, asked = asked || jsonb_build_object('backup', $2::int)
          where id = (select min(id) from run where kind = 'backup' and asked->>'what' = 'restore')`,
        [state, oldest],
      );
    await set('failed');
    await made();
    await made();
    expect((await now()).backups.map((b) => b.id)).toContain(oldest);
    await set('done');
    await made();
    expect((await now()).backups.map((b) => b.id)).not.toContain(oldest);
  });
  it('is told as it is: where it lies, who uses it, and why what waits does', async () => {
    const workloads = (await c.estate()).charters.find((x) => x.name === 'plover')?.workloads ?? [];
    await edit(['workloads'], [...workloads, { name: 'later', volumes: [{ name: 'data', sizeGB: 2 }] }]);
    const api = await there.api();
    const claim = (name: string, storageClassName: string) =>
      apply(api, {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        metadata: { name, namespace: 'default' },
        spec: { accessModes: ['ReadWriteOnce'], storageClassName, resources: { requests: { storage: '3Gi' } } },
      } as KubeObject);
    await claim('nowhere', 'gold');
    const seen = async () => (await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes')).volumes;
    const of = async (name: string) => (await seen()).find((v) => (v.planned ?? v.claim) === name);
    expect(await of('ais-store/data')).toEqual({
      planned: 'ais-store/data',
      namespace: 'default',
      claim: 'ais-store-data',
      state: 'bound',
      bytes: expect.any(Number),
      class: 'scratch',
      lies: [there.host],
      users: [{ pod: expect.stringMatching(/^ais-store-0/), host: there.host, ready: true }],
    });
    expect(await of('later/data')).toMatchObject({ state: 'absent', bytes: 2e9, claim: 'later-data', users: [] });
    expect(await of('nowhere')).toEqual({
      namespace: 'default',
      claim: 'nowhere',
      state: 'waits',
      bytes: 3 * 2 ** 30,
      class: 'gold',
      lies: [],
      users: [],
      why: 'storageclass.storage.k8s.io "gold" not found',
    });
    // What is planned comes first.
    expect((await seen()).map((v) => v.planned !== undefined).lastIndexOf(true)).toBe(1);
    // A pod that cannot mount what it needs waits, and its volume with it.
    const own = await kube<KubeObject & { spec: { template: { spec: { volumes: object[] } } } }>(
      api,
      '/apis/apps/v1/namespaces/default/deployments/ais-store',
    );
    const stuck = structuredClone({
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'ais-index', namespace: 'default' },
      spec: own?.spec,
    }) as unknown as KubeObject & { spec: { template: { spec: { volumes: object[] } } } };
    stuck.spec.template.spec.volumes.push({ name: 'settings', configMap: { name: 'ais-index' } });
    await apply(api, stuck);
    await eventually(async () => (await of('ais-store/data'))?.why, 'it is stuck');
    expect(await of('ais-store/data')).toMatchObject({
      state: 'bound',
      why: expect.stringMatching(/^ais-index-0.*: MountVolume.SetUp failed .*configmap "ais-index" not found$/),
    });
    await remove(api, stuck);
    await remove(api, {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: 'nowhere', namespace: 'default' },
    } as KubeObject);
    await edit(['workloads'], workloads);
    // tern was built by something else.
    expect(await c.call('GET', '/api/charters/tern/volumes')).toMatchObject({ status: 409 });
  });
  it('of a StatefulSet is that of one of its pods: backed up and given back by its number', async () => {
    const workloads = (await c.estate()).charters.find((x) => x.name === 'plover')?.workloads ?? [];
    await edit(['workloads'], [...workloads, { name: 'journal', kind: 'StatefulSet', volumes: [{ name: 'data', sizeGB: 1 }] }]);
    const api = await there.api();
    const image = (
      await kube<{ spec: { template: { spec: { containers: { image: string }[] } } } }>(
        api,
        '/apis/apps/v1/namespaces/default/deployments/ais-store',
      )
    )?.spec.template.spec.containers[0]?.image;
    await apply(api, {
      apiVersion: 'apps/v1',
      kind: 'StatefulSet',
      metadata: { name: 'journal', namespace: 'default' },
      spec: {
        replicas: 1,
        selector: { matchLabels: { app: 'journal' } },
        template: {
          metadata: { labels: { app: 'journal' } },
          spec: { containers: [{ name: 'journal', image, volumeMounts: [{ name: 'data', mountPath: '/data' }] }] },
        },
        volumeClaimTemplates: [
          { metadata: { name: 'data' }, spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '1G' } } } },
        ],
      },
    } as KubeObject);
    const host = await eventually(() => there.lies('data-journal-0'), 'its claim has a volume');
    const running = async () => (await revive(api, { kind: 'StatefulSet', namespace: 'default', name: 'journal' }))?.ready;
    await eventually(async () => (await running()) === 1, 'it runs');
    write('log', tide(1), host);
    const { id } = await c.good<{ id: number }>('POST', '/api/charters/plover/backups', { volumes: ['journal/data-0'] });
    expect((await backupEnded(c, id)).status.state).toBe('done');
    const backup = (await now()).backups.find((b) => b.volume === 'journal/data-0')?.id ?? 0;
    write('log', tide(2), host);
    const run = await restored(backup, { volume: 'journal/data-0', replace: 'journal/data-0' });
    expect([run.status.state, run.status.steps['halt/journal/data-0']?.text]).toEqual([
      'done',
      'journal had 1 pod: they have ended',
    ]);
    expect([there.read('log', host)?.equals(tide(1)), await running()]).toEqual([true, 1]);
    await edit(['workloads'], workloads);
  });
  it('needs its key: without the entry of the keyring nothing is sent, and with another one nothing is mixed', async () => {
    await edit(['key'], 'nothing', 'BackupStore', 'bw-objects');
    const without = await made();
    expect(without.status.steps['copy/ais-store/data']?.text).toBe(
      'bw-objects cannot be used: the keyring has no entry nothing.',
    );
    await c.good('POST', '/api/keyring', {
      name: 'other',
      use: 'encryption',
      user: '',
      secret: 'another one altogether',
      places: ['BackupStore bw-objects'],
    });
    await edit(['key'], 'other', 'BackupStore', 'bw-objects');
    await c.good('POST', '/api/charters/plover/backups/resume');
    await eventually(
      async () => (await now()).last?.status.steps['copy/ais-store/data']?.text?.includes('encrypted with another key'),
      'it says so',
    );
  });
});
