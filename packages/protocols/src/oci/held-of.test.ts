import { createHash } from 'node:crypto';
import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { AskedImage } from '@praesidor/core/images';
import { makeCertificate } from '@praesidor/standins';
import { anywhere, Dialer, Exits, parseAddressMap, type ProtocolError } from '../dial/index.ts';
import { heldAt, heldOf, type RegistryAt } from './index.ts';

/** A registry as the standard alone describes it, told by each test what it answers. */
let server: Server;
let dialer: Dialer;
let at: RegistryAt;
let asked: string[] = [];
let answers: (req: IncomingMessage, res: ServerResponse) => void = () => undefined;
const sha = (t: string) => `sha256:${createHash('sha256').update(t).digest('hex')}`;
const manifest = (of: string) => JSON.stringify({ schemaVersion: 2, of });

beforeAll(async () => {
  const pair = await makeCertificate({ commonName: 'depot.example', names: ['depot.example'] });
  server = createServer(pair, (req, res) => {
    asked.push(`${req.method} ${req.url}`);
    answers(req, res);
  });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  dialer = new Dialer(
    new Exits(parseAddressMap(`10.0.0.9/32=127.0.0.1/32+${(server.address() as AddressInfo).port - 5000}`), anywhere),
    async () => '10.0.0.9',
  );
  at = { dialer, endpoint: 'depot.example:5000', trust: { ca: pair.cert } };
});
beforeEach(() => {
  asked = [];
});
afterAll(async () => {
  await dialer.close();
  server.closeAllConnections();
  server.close();
});

/** What stands there: manifests by repository:reference, blobs by repository@digest. */
const stands =
  (o: { manifests: Record<string, string>; blobs?: string[]; silent?: boolean }) =>
  (req: IncomingMessage, res: ServerResponse): void => {
    const m = /^\/v2\/(.+)\/(manifests|blobs)\/([^/]+)$/.exec(req.url ?? '');
    if (req.url === '/v2/') return void res.writeHead(200).end();
    if (!m) return void res.writeHead(404).end();
    const [, repository, kind, reference] = m as unknown as [string, string, string, string];
    if (kind === 'blobs')
      return void res.writeHead(o.blobs?.includes(`${repository}@${reference}`) ? 200 : 404, { 'content-length': 0 }).end();
    const text = o.manifests[`${repository}:${reference}`];
    if (text === undefined) return void res.writeHead(404).end();
    res
      .writeHead(200, {
        'content-type': 'application/vnd.oci.image.manifest.v1+json',
        ...(o.silent ? {} : { 'docker-content-digest': sha(text) }),
      })
      .end(req.method === 'HEAD' ? undefined : text);
  };
const image = (repository: string, of: string, blobs: string[]): AskedImage => ({
  ...{ repository, tag: '1', digest: sha(manifest(of)) },
  ...{ manifests: [sha(manifest(of))], blobs },
});
const [a, b, c] = ['a', 'b', 'c'].map(sha) as [string, string, string];

describe('a registry that tells no list', () => {
  it('is asked for each name, and for the blobs of those that it answers to, each once', async () => {
    answers = stands({ manifests: { 'x:1': manifest('x'), 'y:1': manifest('y') }, blobs: [`x@${a}`, `x@${b}`, `y@${b}`] });
    const got = await heldOf(at, [image('x', 'x', [a, b]), image('y', 'y', [b, c]), image('z', 'z', [a, c])]);
    expect(got.names).toEqual([`x:1@${sha(manifest('x'))}`, `y:1@${sha(manifest('y'))}`]);
    expect(got.digests).toEqual([a, b, sha(manifest('x')), sha(manifest('y'))].sort());
    const blobs = asked.filter((q) => q.includes('/blobs/'));
    expect(new Set(blobs.map((q) => q.split('/').at(-1))).size).toBe(blobs.length);
    // z is not answered to: nothing of it is asked for.
    expect(asked.filter((q) => q.includes('/v2/z/'))).toHaveLength(1);
  });
  it('that leaves out the digest of a name is read: the manifest says what it is', async () => {
    answers = stands({ manifests: { 'x:1': manifest('other') }, silent: true });
    expect((await heldOf(at, [image('x', 'x', [])])).names).toEqual([`x:1@${sha(manifest('other'))}`]);
    expect(asked).toContain('GET /v2/x/manifests/1');
  });
  it('whose name has moved tells the other digest, and its own manifest is asked for by digest', async () => {
    answers = stands({ manifests: { 'x:1': manifest('other'), [`x:${sha(manifest('x'))}`]: manifest('x') } });
    const got = await heldOf(at, [image('x', 'x', [])]);
    expect(got.names).toEqual([`x:1@${sha(manifest('other'))}`]);
    expect(got.digests).toEqual([sha(manifest('x'))]);
  });
  it('is believed in what was found before, and asked for the rest', async () => {
    answers = stands({ manifests: { 'x:1': manifest('x') }, blobs: [`x@${b}`] });
    const got = await heldOf(at, [image('x', 'x', [a, b])], new Set([a]));
    expect(got.digests).toContain(a);
    expect(asked.filter((q) => q.includes('/blobs/'))).toEqual([`HEAD /v2/x/blobs/${b}`]);
  });
  it.each([400, 404, 405, 501])(
    'is told from one of ours by its answer %d to what the standard does not have',
    async (status) => {
      const standard = stands({ manifests: { 'x:1': manifest('x') } });
      answers = (req, res) => (req.url?.startsWith('/praesidor/') ? void res.writeHead(status).end() : standard(req, res));
      const got = await heldAt(at, () => ({ images: [image('x', 'x', [])] }));
      expect([got.asked, got.names?.length]).toEqual([true, 1]);
    },
  );
  it.each([
    ['the front door', (url: string) => url === '/v2/', 401, 'credentials'],
    ['a name', (url: string) => url.includes('/manifests/'), 500, 'answer'],
    ['a blob', (url: string) => url.includes('/blobs/'), 403, 'credentials'],
  ] as const)('that answers neither yes nor no at %s is not taken for empty', async (_, where, status, fault) => {
    const standard = stands({ manifests: { 'x:1': manifest('x') } });
    answers = (req, res) => (where(req.url ?? '') ? void res.writeHead(status).end() : standard(req, res));
    const e = await heldAt(at, () => ({ images: [image('x', 'x', [a])] })).catch((x: ProtocolError) => x);
    expect((e as ProtocolError).fault).toBe(fault);
  });
  it('of ours tells itself, and nothing is asked for', async () => {
    answers = (req, res) =>
      void res
        .writeHead(200, { 'content-type': 'application/json' })
        .end(req.url === '/praesidor/digests' ? JSON.stringify({ digests: [a], names: [], used: 1, free: 2 }) : '');
    const got = await heldAt(at, () => {
      throw new Error('nobody has to be asked');
    });
    expect(got).toEqual({ digests: [a], names: [], used: 1, free: 2, asked: false });
  });
});
