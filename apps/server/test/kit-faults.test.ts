import { nodeWriters } from '@praesidor/core/files';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';

/** Faults put into the writers of the kit: the stand-in machines stop where real ones do, and the build says at which step and why. */
type File = ReturnType<(typeof nodeWriters)[number]['write']>[number];
type Spoil = (files: File[], host: string) => File[];
const undo: (() => void)[] = [];
function spoil(writer: string, how: Spoil): void {
  const w = nodeWriters.find((x) => x.name === writer) as { write: (typeof nodeWriters)[number]['write'] } | undefined;
  if (!w) throw new Error(`there is no writer ${writer}; there are ${nodeWriters.map((x) => x.name).join(', ')}`);
  const good = w.write;
  w.write = (ctx, node) => how(good(ctx, node), node.host);
  undo.push(() => {
    w.write = good;
  });
}
afterEach(() => {
  for (const u of undo.splice(0)) u();
});
const without =
  (path: string, ...hosts: string[]): Spoil =>
  (files, host) => {
    if (hosts.length && !hosts.includes(host)) return files;
    const left = files.filter((f) => f.path !== path);
    if (left.length === files.length) throw new Error(`${host} has no ${path}`);
    return left;
  };
const change =
  (path: string, from: RegExp, to: string): Spoil =>
  (files) =>
    files.map((f) => {
      if (f.path !== path) return f;
      const content = f.content.replace(from, to);
      if (content === f.content) throw new Error(`${path} has nothing like ${from}`);
      return { ...f, content };
    });

describe('a build with a kit that has faults', () => {
  let i: Installation;
  let c: Client;
  beforeEach(async () => {
    i = await new Installation().start({ timeoutSeconds: 6 });
    c = await i.as('warden');
    await prepare(c);
  });
  afterEach(() => i.stop());
  const begin = () => c.good('POST', '/api/builds', { charter: 'plover' });
  const step = async (id: string) => (await buildOf(c)).status.steps[id];
  const log = async (id: string) =>
    (await c.good<{ lines: { line: string }[] }>('GET', `/api/builds/plover/1/log?step=${id}`)).lines.map((l) => l.line);

  it('breaks where the network of a host, the runtime of another or the kubelet’s unit of a third is lacking', async () => {
    spoil('network', (files, host) => (host === 'lr-07' ? [] : files));
    spoil('container runtime', without('/etc/containerd/config.toml', 'lr-05'));
    spoil('kubelet', without('/etc/systemd/system/kubelet.service', 'lr-08'));
    await begin();
    await eventually(async () => (await step('lr-07/system'))?.state === 'failed', 'the first boot of lr-07 breaks');
    expect((await step('lr-07/system'))?.text).toContain('no network configuration was found');
    for (const [host, why] of [
      ['lr-05', "no sandbox starts: the runtime's own sandbox image is not here"],
      ['lr-08', 'Unit file kubelet.service does not exist'],
    ] as const) {
      await eventually(async () => (await log(`${host}/join`)).some((l) => l.includes(why)), `${host} says why it does not join`);
      expect((await step(`${host}/join`))?.state).toBe('running');
    }
  });

  const first = 'lr-02';
  it.each<[string, () => void]>([
    [
      'the certificate of etcd is not for loopback',
      () =>
        spoil('certificates', (files) => {
          const other = files.find((f) => f.path === '/etc/kubernetes/pki/kubelet.crt')?.content ?? '';
          return files.map((f) => (f.path === '/etc/kubernetes/pki/etcd/server.crt' ? { ...f, content: other } : f));
        }),
    ],
    [
      'the API server listens where the load balancer does',
      () =>
        spoil(
          'static pods',
          change('/etc/kubernetes/manifests/kube-apiserver.yaml', /--bind-address=[\d.]+/, '--bind-address=0.0.0.0'),
        ),
    ],
  ])('waits for an API that never comes where %s', async (_, put) => {
    put();
    await begin();
    await eventually(async () => (await step(`${first}/join`))?.state === 'done', 'the first kubelet starts');
    await eventually(async () => i.world.machines.get(first)?.stage === 'joined', 'its programs start');
    expect(i.world.clusters.list()).toEqual([{ name: 'plover', up: false, members: [first] }]);
    await eventually(async () => (await step('api'))?.state === 'running', 'its API is waited for');
  });
});
