import { execFileSync, spawnSync } from 'node:child_process';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { recorded, wordsOf } from '../src/areas/shell/words-of.ts';
import { programAt } from '../src/shell/confined.ts';
import { builtOrBroken, Client, eventually, Installation, prepare } from './installation.ts';

/** A shell for a cluster: real kubectl, confined, with the certificate of whoever asks. */
const i = new Installation();
let warden: Client;
let rui: Client;
let bo: Client;
const possible =
  spawnSync('unshare', ['--user', '--map-root-user', '--net', 'true']).status === 0 && programAt('kubectl') !== undefined;
if (!possible) process.stderr.write('No kubectl, or no user namespaces, here: the shell of a cluster is not tried.\n');

interface Said {
  status: number;
  out: string;
  err: string;
  code?: number | null;
  cut?: string;
  failed?: string;
  message?: string;
}
async function type(
  who: Client,
  line: string,
  more: { role?: string; cluster?: string; signal?: AbortSignal } = {},
): Promise<Said> {
  const { role = 'view', cluster = 'plover', signal } = more;
  const r = await fetch(`${i.config.publicUrl}/api/charters/${cluster}/shell`, {
    method: 'POST',
    headers: { cookie: who.cookie, 'x-csrf-token': who.csrf, 'content-type': 'application/json' },
    body: JSON.stringify({ line, role }),
    ...(signal ? { signal } : {}),
  });
  const text = await r.text();
  const said: Said = { status: r.status, out: '', err: '' };
  if (r.status >= 400) return { ...said, ...(JSON.parse(text) as { message: string }) };
  for (const l of text.split('\n').filter(Boolean)) {
    const { out = '', err = '', ...rest } = JSON.parse(l) as Partial<Said>;
    said.out += out;
    said.err += err;
    Object.assign(said, rest);
  }
  return said;
}
async function person(login: string, role: string, teams: string[]): Promise<Client> {
  await warden.good('POST', '/api/accounts', { login, name: login, role, password: 'night-watch-at-sea' });
  await warden.good('PATCH', `/api/accounts/${login}`, { teams });
  const c = new Client(i.config.publicUrl);
  expect(await c.signIn(login, 'night-watch-at-sea')).toBe(200);
  return c;
}
const ran = async () =>
  i.query<{ who: string; act: string; detail: { command: string; role?: string; why?: string } }>(
    "select who, act, detail from audit where act in ('ran kubectl', 'ended a kubectl') order by id",
  );

describe('a line', () => {
  it('is read as a shell reads it, and nothing that a shell does beside is done', () => {
    expect(wordsOf('kubectl get pods -l "app in (a, b)"')).toEqual(['get', 'pods', '-l', 'app in (a, b)']);
    expect(wordsOf("get pods -o jsonpath='{.items[*].metadata.name}' $HOME *.yaml")).toEqual([
      'get',
      'pods',
      '-o',
      'jsonpath={.items[*].metadata.name}',
      '$HOME',
      '*.yaml',
    ]);
    for (const line of [
      'get pods | wc -l',
      'get pods > /tmp/x',
      'get pods; get nodes',
      'get pods && get nodes',
      'get pods &',
      'get pods # all',
      ' ',
      'kubectl',
    ])
      expect(() => wordsOf(line), line).toThrow();
  });
  it('is put on record without what is a secret in it', () => {
    expect(
      recorded(wordsOf('create secret generic s --from-literal=pw=hunter2 --from-literal pw=hunter3 --token abc -n x')),
    ).toBe('create secret generic s --from-literal=… --from-literal … --token … -n x');
  });
});

describe.skipIf(!possible)('a shell', () => {
  beforeAll(async () => {
    await i.start();
    warden = await i.as('warden');
    await prepare(warden);
    await warden.good('POST', '/api/builds', { charter: 'plover' });
    expect((await builtOrBroken(warden)).status.state).toBe('done');
    rui = await person('rui', 'reader', ['vessel-traffic']);
    bo = await person('bo', 'builder', ['vessel-traffic']);
  });
  afterAll(() => i.stop());

  it('runs kubectl with the certificate of whoever types, of the role that they chose, and puts each line on record', async () => {
    const nodes = await type(rui, 'kubectl get nodes --no-headers');
    expect([nodes.code, nodes.out.trim().split('\n').length]).toEqual([0, 6]);
    expect(await type(rui, 'delete configmap kube-proxy -n kube-system')).toMatchObject({
      code: 1,
      err: expect.stringContaining('User "rui" cannot delete resource "configmaps"'),
    });
    expect((await type(bo, 'get secrets -A')).err).toContain('User "bo" cannot list resource "secrets"');
    expect((await type(bo, 'get secrets -A', { role: 'edit' })).code).toBe(0);
    expect(await ran()).toMatchObject([
      { who: 'rui', act: 'ran kubectl', detail: { command: 'get nodes --no-headers', role: 'view' } },
      { who: 'rui', detail: { command: 'delete configmap kube-proxy -n kube-system' } },
      { who: 'bo', detail: { role: 'view' } },
      { who: 'bo', detail: { role: 'edit' } },
    ]);
  });
  it('is refused to who may not: more than their role, and a cluster of another team', async () => {
    const otto = await person('otto', 'builder', []);
    expect(await type(rui, 'get nodes', { role: 'edit' })).toMatchObject({ status: 403 });
    expect(await type(bo, 'get nodes', { role: 'administrator' })).toMatchObject({ status: 403 });
    expect(await type(otto, 'get nodes')).toMatchObject({
      status: 403,
      message: 'The cluster plover belongs to the team vessel-traffic; otto is not in it.',
    });
    expect(await type(warden, 'get nodes', { cluster: 'nothing' })).toMatchObject({ status: 404 });
    // One that is planned has no API that anybody could ask.
    expect((await type(warden, 'get nodes', { cluster: 'dunlin' })).status).toBeGreaterThanOrEqual(400);
  });
  it('does not get out: to another cluster, to files of the server, to other programs', async () => {
    const tried: [line: string, says: RegExp][] = [
      ['get nodes --server https://10.62.9.20:6443 --request-timeout 3s', /unreachable|refused|timed out|unable to connect/i],
      ['get nodes --kubeconfig /etc/kubernetes/admin.conf', /no such file|localhost:8080|refused/i],
      ['get nodes --context tern', /context was not found|context .*tern.* does not exist|no context exists/i],
      ['apply -f /etc/passwd', /does not exist|no such file/i],
      ['edit configmap kube-proxy -n kube-system', /unable to launch the editor|not found|no such file|forbidden/i],
      ['whoami --as system:masters', /unknown command/i],
      ['get nodes --as kubernetes-admin --as-group system:masters', /forbidden|cannot impersonate/i],
    ];
    for (const [line, says] of tried) {
      const r = await type(rui, line);
      expect([line, r.code]).not.toEqual([line, 0]);
      expect([line, r.err + r.out]).toEqual([line, expect.stringMatching(says)]);
    }
  });
  it('ends a command that is stopped, and says so in the record; only so many run at once', async () => {
    const stops = [0, 1, 2].map(() => new AbortController());
    const running = stops.map((s) => type(rui, 'get nodes -w', { signal: s.signal }).catch(() => 'stopped'));
    const watching = () =>
      execFileSync('ps', ['ax', '-o', 'args='])
        .toString()
        .match(/^\/run\/program get nodes -w$/gm)?.length ?? 0;
    await eventually(async () => watching() === 3, 'three watch');
    expect(await type(rui, 'get nodes')).toMatchObject({ status: 429 });
    expect((await type(bo, 'get nodes --no-headers')).code).toBe(0);
    for (const s of stops) s.abort();
    expect(await Promise.all(running)).toEqual(['stopped', 'stopped', 'stopped']);
    await eventually(async () => watching() === 0, 'none watches any more');
    await eventually(
      async () => (await ran()).filter((a) => a.act === 'ended a kubectl' && a.detail.why === 'left').length === 3,
      'it is on record',
    );
    await eventually(async () => (await type(rui, 'get nodes --no-headers')).code === 0, 'there is room again');
  });
});
