import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import { type AddressInfo, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { createRegistry, hashPassword, loginOf, type RegistryOptions, Store } from './index.ts';

/** Many small blobs in one request, as bytes on the wire: written here by hand and not with the product's writer. */
const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
let dir: string;
let server: Server;
let url: string;
let store: Store;
async function serve(options: Partial<RegistryOptions> = {}, limit?: number) {
  server?.close();
  store = await new Store(dir, limit).open();
  server = createRegistry({ store, ...options });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'bundles-'));
  await serve();
});
afterEach(() => {
  server.closeAllConnections();
  server.close();
  rmSync(dir, { recursive: true });
});
const post = (what: 'read' | 'write', body: Buffer | string, headers: Record<string, string> = {}) =>
  fetch(`${url}/praesidor/blobs/${what}`, { method: 'POST', body: new Uint8Array(Buffer.from(body)), headers });
const frame = (repository: string, digest: string, body: Buffer) =>
  Buffer.concat([Buffer.from(`${repository} ${digest} ${body.length}\n`), body]);
const asked = (repository: string, digest: string) => `${repository} ${digest} 0\n`;
const basic = (user: string, password: string) => ({
  authorization: `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`,
});

describe('a bundle that is written', () => {
  it('is kept blob by blob, each in its repository', async () => {
    const blobs = Array.from({ length: 30 }, (_, n) => randomBytes(50 + n));
    const r = await post('write', Buffer.concat(blobs.map((b, n) => frame(`core/i${n % 3}`, sha(b), b))));
    expect(await r.json()).toEqual({ answers: blobs.map(() => 201) });
    for (const [n, b] of blobs.entries()) {
      const got = await fetch(`${url}/v2/core/i${n % 3}/blobs/${sha(b)}`);
      expect(Buffer.from(await got.arrayBuffer()).equals(b)).toBe(true);
    }
    expect((await fetch(`${url}/v2/core/i1/blobs/${sha(blobs[0] as Buffer)}`)).status).toBe(404);
  });

  it('tells of each by itself: other bytes than its digest, and no room', async () => {
    await serve({}, 250);
    const [a, b, c] = [randomBytes(100), randomBytes(100), randomBytes(100)];
    const r = await post(
      'write',
      Buffer.concat([
        frame('core/a', sha(a), a),
        frame('core/a', sha(b), c),
        frame('core/a', sha(c), c),
        frame('core/a', sha(b), b),
      ]),
    );
    const { answers } = (await r.json()) as { answers: number[] };
    // Of the two that ask for the last room at once one has it, whichever comes first; what is answered is what is kept.
    expect(answers.slice(0, 2)).toEqual([201, 400]);
    expect(answers.slice(2).sort()).toEqual([201, 507]);
    expect((await store.digests()).sort()).toEqual([sha(a), answers[2] === 201 ? sha(c) : sha(b)].sort());
  });

  it('of nothing is answered: so one learns that bundles are known', async () => {
    expect(await (await post('write', '')).json()).toEqual({ answers: [] });
  });

  it.each([
    ['no frame', 'what is this\n'],
    ['no repository', `../../etc ${sha(Buffer.from('x'))} 1\nx`],
    ['no digest', 'core/a sha256:../../x 1\nx'],
    ['a blob that is too large', `core/a ${sha(Buffer.from('x'))} 262145\n`],
    ['an end in the middle', `core/a ${sha(Buffer.from('x'))} 9\nx`],
  ])('with %s is refused', async (_, text) => {
    const r = await post('write', text);
    expect(r.status).toBe(400);
    expect(await store.digests()).toEqual([]);
  });

  it('that breaks off keeps what had come whole, and nothing else', async () => {
    const [a, b] = [randomBytes(100), randomBytes(100)];
    const bytes = Buffer.concat([frame('core/a', sha(a), a), frame('core/a', sha(b), b)]);
    const socket = connect((server.address() as AddressInfo).port, '127.0.0.1');
    socket.write(`POST /praesidor/blobs/write HTTP/1.1\r\nhost: x\r\ncontent-length: ${bytes.length}\r\n\r\n`);
    socket.write(bytes.subarray(0, bytes.length - 1));
    await expect.poll(() => store.digests()).toEqual([sha(a)]);
    socket.destroy();
    expect((await post('write', frame('core/a', sha(b), b))).status).toBe(200);
    expect((await store.digests()).sort()).toEqual([sha(a), sha(b)].sort());
  });
});

describe('a bundle that is read', () => {
  it('gives blobs in the order of asking; what the repository does not hold, or is large, under none', async () => {
    const [a, b, large] = [randomBytes(100), randomBytes(7), randomBytes(262_145)];
    for (const x of [a, b, large]) await store.putBlob('core/a', sha(x), x);
    const r = await post(
      'read',
      asked('core/a', sha(b)) + asked('core/b', sha(a)) + asked('core/a', sha(large)) + asked('core/a', sha(a)),
    );
    expect(Buffer.from(await r.arrayBuffer())).toEqual(
      Buffer.concat([
        frame('core/a', sha(b), b),
        Buffer.from(`none ${sha(a)} 0\nnone ${sha(large)} 0\n`),
        frame('core/a', sha(a), a),
      ]),
    );
    const pulls = await store.pulls();
    expect(pulls.map((p) => [p.kind, p.repository, p.digest, p.status])).toEqual([
      ['blob', 'core/a', sha(b), 200],
      ['blob', 'core/b', sha(a), 404],
      ['blob', 'core/a', sha(large), 404],
      ['blob', 'core/a', sha(a), 200],
    ]);
  });

  it('asks for 128 at most', async () => {
    const one = asked('core/a', sha(Buffer.from('x')));
    expect((await post('read', one.repeat(128))).status).toBe(200);
    expect((await post('read', one.repeat(129))).status).toBe(400);
  });
});

describe('whoever reads or writes a bundle', () => {
  it('needs the rights that one blob takes', async () => {
    const users = {
      keeper: { password: await hashPassword('k'), writes: true },
      puller: { password: await hashPassword('p'), writes: false },
    };
    for (const scheme of ['basic', 'bearer'] as const) {
      await serve({ login: loginOf(users), scheme });
      const b = randomBytes(20);
      const write = frame('core/a', sha(b), b);
      const statuses = async (headers: Record<string, string>) => [
        (await post('read', asked('core/a', sha(b)), headers)).status,
        (await post('write', write, headers)).status,
      ];
      expect(await statuses({})).toEqual([401, 401]);
      expect(await statuses(basic('puller', 'x'))).toEqual([401, 401]);
      expect(await statuses(basic('puller', 'p'))).toEqual([200, 403]);
      expect(await statuses(basic('keeper', 'k'))).toEqual([200, 200]);
      // A token for one repository is none for a bundle, which may name any.
      const token = async (scope: string) =>
        ((await (await fetch(`${url}/token?scope=${scope}`, { headers: basic('keeper', 'k') })).json()) as { token: string })
          .token;
      expect(await statuses({ authorization: `Bearer ${await token('repository:core/a:pull,push')}` })).toEqual([401, 401]);
      expect(await statuses({ authorization: `Bearer ${await token('registry:catalog:*')}` })).toEqual([200, 200]);
    }
  });

  it('reads and does not write where the registry is read-only', async () => {
    await serve({ readOnly: true });
    const b = randomBytes(20);
    expect((await post('read', asked('core/a', sha(b)))).status).toBe(200);
    expect((await post('write', frame('core/a', sha(b), b))).status).toBe(403);
  });

  it('finds blobs that rotted as they are: whoever asked holds them against their digest', async () => {
    const b = randomBytes(20);
    await store.putBlob('core/a', sha(b), b);
    writeFileSync(store.blobPath(sha(b)), 'rotten');
    const r = await post('read', asked('core/a', sha(b)));
    expect(await r.text()).toBe(`core/a ${sha(b)} 6\nrotten`);
  });
});
