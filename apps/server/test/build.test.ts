import { execFile, execFileSync } from 'node:child_process';
import { createHash, X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { gunzipSync } from 'node:zlib';
import { unseal } from '../src/auth/seal.ts';
import { secretOf } from '../src/areas/clusters/pki.ts';
import { ClusterSecrets, Keys } from '../src/db/tables.ts';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { buildOf, builtOrBroken, Client, Installation, prepare } from './installation.ts';

const i = new Installation();
let c: Client;
const dir = mkdtempSync(join(tmpdir(), 'praesidor-kit-'));
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
  await prepare(c);
});
afterAll(async () => {
  await i.stop();
  rmSync(dir, { recursive: true });
});

const download = async (path: string) =>
  Buffer.from(await (await fetch(i.config.publicUrl + path, { headers: { cookie: c.cookie } })).arrayBuffer());

describe('a build', () => {
  it('is refused while a finding stops it, and says which', async () => {
    const a = await c.call('POST', '/api/builds', { charter: 'dunlin' });
    expect(a.status).toBe(409);
    expect(a.body.message).toContain('dunlin cannot be built');
    expect(a.body.places?.length).toBeGreaterThan(0);
  });

  it('ends with a cluster that is proved to stand as planned', async () => {
    // Another port than an API server has of itself: everything that speaks with it must have been told.
    const value = 8443;
    const edit = { op: 'set', kind: 'Charter', key: 'plover', path: ['api', 'port'], value };
    await c.good('POST', '/api/edits', { why: 'another port', edits: [edit] });
    await c.good('POST', '/api/builds', { charter: 'plover' });
    expect((await c.call('POST', '/api/builds', { charter: 'plover' })).status).toBe(409); // one at a time
    const b = await builtOrBroken(c);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.map((p) => p.what)).toEqual([
      'nodes ready',
      'roles',
      'clocks of the nodes',
      'versions of the nodes',
      'agents of the pod network',
      'programs of the cluster run',
      'members behind the API address',
      'certificates of the API are of its authority',
      'inbound address',
      'names resolve forward and back',
      'images pulled from the mirror',
      'pulls from outside',
    ]);
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    const hosts = (await c.estate()).hosts.filter((h) => h.held?.charter === 'plover');
    expect(hosts.map((h) => h.state)).toEqual(Array(6).fill('serving'));
  });

  it('was counted by the registry: every node, every image, none from outside', async () => {
    const log = await i.world.stores.get('lr-registry')?.pulls();
    const e = await c.estate();
    const ours = new Map(
      e.reservations.flatMap((r) =>
        r.owner.kind === 'charter' && r.owner.use?.startsWith('node ')
          ? [[r.address.replace(/^10/, '127'), r.owner.use.slice(5)]]
          : [],
      ),
    );
    const of = (l: { client: string }) => ours.get(l.client.replace('::ffff:', ''));
    expect([...new Set(log?.map(of).filter(Boolean))].sort()).toEqual(['lr-02', 'lr-04', 'lr-05', 'lr-06', 'lr-07', 'lr-08']);
    expect((await i.world.stores.get('upstream')?.pulls())?.filter(of)).toEqual([]);
  });

  it('closes its boot addresses when it is over', async () => {
    expect(await i.running.ctx.db.query('select * from boot_token')).toEqual([]);
  });
});

describe('hand-over', () => {
  it('kubectl lists six ready nodes over TLS with the client certificate', async (t) => {
    if (!(await promisify(execFile)('kubectl', ['version', '--client']).catch(() => undefined))) return t.skip();
    const file = join(dir, 'kubeconfig');
    writeFileSync(file, await download('/api/charters/plover/kubeconfig?via=here&role=administrator'), { mode: 0o600 });
    const { stdout } = await promisify(execFile)('kubectl', ['--kubeconfig', file, 'get', 'nodes', '--no-headers'], {
      env: { ...process.env, HOME: dir },
    });
    const rows = stdout
      .trim()
      .split('\n')
      .map((l) => l.split(/\s+/));
    expect(rows.map((r) => [r[0], r[1]])).toEqual(
      ['lr-02', 'lr-04', 'lr-05', 'lr-06', 'lr-07', 'lr-08'].map((n) => [n, 'Ready']),
    );
    expect(rows.filter((r) => r[2] === 'control-plane').map((r) => r[0])).toEqual(['lr-02', 'lr-04', 'lr-06']);
    // A volume that is bound, seen by a client that waits for it, and taken away again.
    const kubectl = (...args: string[]) =>
      promisify(execFile)('kubectl', ['--kubeconfig', file, ...args], { env: { ...process.env, HOME: dir } });
    const docs = join(dir, 'volumes.yaml');
    const claim = { accessModes: ['ReadWriteOnce'], storageClassName: 'own', resources: { requests: { storage: '4Gi' } } };
    const volume = {
      accessModes: ['ReadWriteOnce'],
      storageClassName: 'own',
      capacity: { storage: '5Gi' },
      nfs: { server: '10.62.8.4', path: '/v' },
    };
    const apply = (kind: string, name: string, spec: object) => {
      const metadata = { name, ...(kind === 'PersistentVolumeClaim' ? { namespace: 'default' } : {}) };
      writeFileSync(docs, JSON.stringify({ apiVersion: 'v1', kind, metadata, spec }));
      return kubectl('apply', '--server-side', '--validate=false', '-f', docs);
    };
    await apply('PersistentVolumeClaim', 'archive', claim);
    const waits = kubectl('wait', '--for=jsonpath={.status.phase}=Bound', 'pvc/archive', '--timeout=30s');
    await apply('PersistentVolume', 'v-1', volume);
    expect((await waits).stdout).toContain('persistentvolumeclaim/archive condition met');
    expect((await kubectl('get', 'pv', 'v-1', '-o', 'jsonpath={.spec.claimRef.name}')).stdout).toBe('archive');
    const gone = kubectl('wait', '--for=delete', 'pvc/archive', '--timeout=30s');
    await kubectl('delete', 'pvc', 'archive', '--wait=false');
    await gone;
    expect((await kubectl('get', 'pv', 'v-1', '-o', 'jsonpath={.status.phase}')).stdout).toBe('Available');
    writeFileSync(file, readFileSync(file, 'utf8').replace(/client-(certificate|key)-data: .*/g, ''));
    await expect(
      promisify(execFile)('kubectl', ['--kubeconfig', file, 'get', 'nodes', '--username=x', '--password=y'], {
        env: { ...process.env, HOME: dir },
      }),
    ).rejects.toThrow();
  });

  it('a kubeconfig is somebody’s own, of one role and with an end: kubectl is let do that, and nothing else', async (t) => {
    if (!(await promisify(execFile)('kubectl', ['version', '--client']).catch(() => undefined))) return t.skip();
    const hour = 3_600_000;
    const taken = async (who: Client, query: string) => {
      const r = await fetch(`${i.config.publicUrl}/api/charters/plover/kubeconfig?via=here&${query}`, {
        headers: { cookie: who.cookie },
      });
      return { status: r.status, text: await r.text() };
    };
    const made = async (login: string, role: string, teams: string[]) => {
      await c.good('POST', '/api/accounts', { login, name: login, role, password: 'night-watch-at-sea', teams });
      await c.good('PATCH', `/api/accounts/${login}`, { teams });
      const one = new Client(i.config.publicUrl);
      await one.signIn(login, 'night-watch-at-sea');
      return one;
    };
    const [rui, bo, otto] = [
      await made('rui', 'reader', ['vessel-traffic']),
      await made('bo', 'builder', ['vessel-traffic']),
      await made('otto', 'builder', []),
    ];
    const kubectl = async (text: string, ...args: string[]) => {
      const file = join(dir, 'own');
      writeFileSync(file, text, { mode: 0o600 });
      const env = { ...process.env, HOME: dir };
      return promisify(execFile)('kubectl', ['--kubeconfig', file, ...args], { env }).then(
        (r) => r.stdout,
        (e: { stderr: string }) => e.stderr,
      );
    };
    // Nobody says which: it looks, and for a shift.
    const look = await taken(rui, '');
    const data = /client-certificate-data: (\S+)/.exec(look.text)?.[1] ?? '';
    const cert = new X509Certificate(Buffer.from(data, 'base64'));
    expect(cert.subject.split('\n').sort()).toEqual(['CN=rui', 'O=praesidor:view']);
    const left = Date.parse(cert.validTo) - Date.now();
    expect([left > 7.9 * hour, left <= 8 * hour]).toEqual([true, true]);
    expect((await kubectl(look.text, 'get', 'nodes', '--no-headers')).trim().split('\n')).toHaveLength(6);
    expect(await kubectl(look.text, 'get', 'daemonsets', '-A', '--no-headers')).toContain('kube-proxy');
    expect(await kubectl(look.text, 'get', 'secrets', '-A')).toContain('User "rui" cannot list resource "secrets"');
    expect(await kubectl(look.text, 'delete', 'node', 'lr-08')).toContain('Forbidden');
    const change = (await taken(bo, 'role=edit&hours=1')).text;
    expect(await kubectl(change, 'get', 'secrets', '-A')).not.toContain('Forbidden');
    expect(await kubectl(change, 'delete', 'configmap', 'nothing')).toContain('not found');
    expect(await kubectl(change, 'delete', 'clusterrole', 'praesidor-look')).toContain('Forbidden');
    const all = (await taken(c, 'role=administrator&hours=2')).text;
    expect(await kubectl(all, 'get', 'clusterroles')).toContain('praesidor-look');
    // Whose binding is taken away may nothing any more, however long the certificate is good.
    expect(await kubectl(all, 'delete', 'clusterrolebinding', 'praesidor-look')).toContain('deleted');
    expect(await kubectl(look.text, 'get', 'nodes')).toContain('User "rui" cannot list resource "nodes"');
    // The next one who takes one puts it back.
    await taken(rui, '');
    expect((await kubectl(look.text, 'get', 'nodes', '--no-headers')).trim().split('\n')).toHaveLength(6);
    expect(
      await Promise.all(
        [
          taken(rui, 'role=edit'),
          taken(bo, 'role=administrator'),
          taken(otto, ''),
          taken(bo, 'role=edit&hours=169'),
          taken(c, 'role=administrator&hours=25'),
          taken(bo, 'hours=0'),
        ].map(async (x) => (await x).status),
      ),
    ).toEqual([403, 403, 403, 422, 422, 422]);
    const acts = await i.query<{ who: string; detail: { role: string; until: string; serial: string } }>(
      "select who, detail from audit where act = 'took a kubeconfig' order by id",
    );
    expect(acts.find((a) => a.who === 'rui')?.detail).toMatchObject({ role: 'view', serial: cert.serialNumber });
  });

  it('the kit comes as tar.gz with checksums, the same bytes twice, certificates kept', async () => {
    const [a, b] = [await download('/api/charters/plover/kit.tar.gz'), await download('/api/charters/plover/kit.tar.gz')];
    expect(a.equals(b)).toBe(true);
    writeFileSync(join(dir, 'kit.tar.gz'), a);
    execFileSync('tar', ['xzf', 'kit.tar.gz'], { cwd: dir });
    execFileSync('sha256sum', ['--quiet', '-c', 'SHA256SUMS'], { cwd: join(dir, 'plover-kit') }); // throws when one does not fit
    const pki = (h: string) => readFileSync(join(dir, `plover-kit/hosts/${h}/root/etc/kubernetes/pki/apiserver.crt`), 'utf8');
    const cert = new X509Certificate(pki('lr-02'));
    for (const name of [
      'DNS:kube.plover.lr.kestrelferries.example',
      'IP Address:10.62.8.20',
      'IP Address:10.129.0.1',
      'IP Address:10.62.8.34',
    ])
      expect(cert.subjectAltName).toContain(name);
    expect(
      cert.verify(
        new X509Certificate(readFileSync(join(dir, 'plover-kit/hosts/lr-02/root/etc/kubernetes/pki/ca.crt'))).publicKey,
      ),
    ).toBe(true);
    expect(
      readFileSync(join(dir, 'plover-kit/hosts/lr-05/root/etc/containerd/certs.d/images.upstream.example/hosts.toml'), 'utf8'),
    ).toContain('Basic ');
  });

  it('what is shown to look at holds no secret', async () => {
    const { files } = await c.good<{ files: { path: string; content: string; sha256: string; from: string[] }[] }>(
      'GET',
      '/api/charters/plover/files',
    );
    expect(files.length).toBeGreaterThan(100);
    for (const f of files) {
      expect(f.content).not.toMatch(/PRIVATE KEY|lantern-demo|Basic [A-Za-z0-9+/]{8}/);
      expect(f.sha256).toBe(createHash('sha256').update(f.content).digest('hex'));
      expect(f.from.length).toBeGreaterThan(0);
    }
  });

  it('the evidence of the build is a package of its own', async () => {
    writeFileSync(join(dir, 'e.tar.gz'), await download('/api/builds/plover/1/evidence.tar.gz'));
    execFileSync('tar', ['xzf', 'e.tar.gz'], { cwd: dir });
    execFileSync('sha256sum', ['--quiet', '-c', 'SHA256SUMS'], { cwd: join(dir, 'plover-build-1') });
    expect(readFileSync(join(dir, 'plover-build-1/log.txt'), 'utf8')).toMatch(
      /holds: images pulled from the mirror: planned (\d+) of \1, found \1 of \1$/m,
    );
    const read = (file: string) => JSON.parse(readFileSync(join(dir, 'plover-build-1', file), 'utf8')) as never;
    const { proof, plan } = await c.good<{ proof: unknown[]; plan: unknown }>('GET', '/api/builds/plover/1');
    expect(proof.length).toBeGreaterThan(4);
    expect([read('proof.json'), read('plan.json')]).toEqual([proof, plan]);
    const acts = await c.good<{ acts: { act: string; subject: string; who: string }[] }>('GET', '/api/acts?limit=200');
    expect(acts.acts).toContainEqual(expect.objectContaining({ act: 'began a build', subject: 'plover', who: 'warden' }));
    const lines = (file: string) =>
      readFileSync(join(dir, 'plover-build-1', file), 'utf8')
        .trim()
        .split('\n')
        .map((l) => JSON.parse(l) as Record<string, unknown>);
    expect(lines('acts.jsonl')[0]).toMatchObject({ who: 'warden', act: 'began a build' });
    expect(lines('acts.jsonl').at(-1)).toMatchObject({ who: 'build 1 of plover', act: 'built and proved' });
    // Every file of a host that was written, by its checksum: the kit as it is looked at has the same.
    const sums = readFileSync(join(dir, 'plover-build-1/kit-SHA256SUMS'), 'utf8').trim().split('\n');
    const { files } = await c.good<{ files: { path: string; sha256: string }[] }>('GET', '/api/charters/plover/files');
    const ofHosts = (list: string[]) => list.filter((l) => l.includes('  hosts/')).sort();
    expect(ofHosts(sums)).toEqual(ofHosts(files.map((f) => `${f.sha256}  ${f.path}`)));
  });

  it('no secret that the keyring or the cluster holds is in the evidence, whoever wrote it there', async () => {
    const { ctx } = i.running;
    const m = ctx.db.manager;
    const secrets = [
      ...(await m.find(Keys)).map((k) => [k.name, unseal(ctx.config.keyringKey, k.sealed, k.name)] as const),
      ...(await m.findBy(ClusterSecrets, { charter: 'plover' }))
        .filter((s) => !/\.(crt|pub)$/.test(s.name))
        .map((s) => [s.name, secretOf(ctx.config, 'plover', s)] as const),
    ];
    expect(secrets.length).toBeGreaterThan(12);
    const [bmc] = secrets as [(typeof secrets)[number]];
    const key = secrets.find(([name]) => name === 'cluster-ca.key') as (typeof secrets)[number];
    const run = (await m.query("select id from build where charter = 'plover' and number = 1")) as { id: number }[];
    // A machine that says too much, in whatever form.
    for (const line of [
      `log in with ${bmc[1]} failed`,
      `header ${Buffer.from(bmc[1]).toString('base64')}`,
      JSON.stringify({ pem: key[1] }),
      key[1].split('\n')[2] ?? '',
    ])
      await m.query("insert into run_log (run, step, level, line) values ($1, 'proof', 'info', $2)", [run[0]?.id, line]);
    const tar = gunzipSync(await download('/api/builds/plover/1/evidence.tar.gz')).toString();
    expect(tar).toContain(`log in with (secret of ${bmc[0]}) failed`);
    for (const [name, secret] of secrets)
      for (const form of [secret, JSON.stringify(secret).slice(1, -1), Buffer.from(secret).toString('base64')])
        expect(tar.includes(form), name).toBe(false);
    for (const line of key[1].split('\n').filter((l) => l.length > 40)) expect(tar).not.toContain(line);
  });
});

it('a slip in the charter of a serving cluster takes nothing from it', async () => {
  const held = async () => {
    const e = await c.estate();
    return [
      e.hosts.filter((h) => h.held?.charter === 'plover').map((h) => `${h.name} ${h.state}`),
      e.reservations.filter((r) => r.owner.name === 'plover').map((r) => r.address),
    ];
  };
  const before = await held();
  const { doc, version } = await c.good<{ doc: { workers: object }; version: number }>('GET', '/api/charters/plover');
  await c.good('PUT', '/api/charters/plover', { doc: { ...doc, machineNetwork: 'lr-machin' }, version });
  expect(await held()).toEqual(before);
  await c.good('PUT', '/api/charters/plover', { doc: { ...doc, workers: { ...doc.workers, count: 2 } }, version: version + 1 });
  expect(await held()).toEqual(before);
  await c.good('PUT', '/api/charters/plover', { doc, version: version + 2 });
});

it('a restarted server knows it all', async () => {
  await i.restart();
  expect((await buildOf(c)).status.state).toBe('done');
  expect((await c.call('POST', '/api/builds', { charter: 'plover' })).body.message).toContain('stands as planned');
});
