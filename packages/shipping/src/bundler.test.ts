import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { anywhere, Dialer, Exits, parseAddressMap } from '@praesidor/protocols/dial';
import type { RegistryAt } from '@praesidor/protocols/oci';
import { createRegistry, plainLogin, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';
import { Bundler, Closed, Pacer } from './index.ts';

/** Small blobs carried many in one request, between two registries over TLS, with faults in front of either. */
const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
type Before = (req: IncomingMessage, res: ServerResponse) => boolean;
let pair: { key: string; cert: string };
let dialer: Dialer;
let dir: string;
const fronts: { source: Before; target: Before } = { source: () => false, target: () => false };
let servers: Server[] = [];
const stores = {} as Record<'source' | 'target', Store>;
const at = {} as Record<'source' | 'target', RegistryAt>;
let asked: string[] = [];
let blobs: Buffer[] = [];

beforeAll(async () => {
  pair = await makeCertificate({ commonName: 'registries', names: ['registry.source.example', 'registry.target.example'] });
  dialer = new Dialer(new Exits(parseAddressMap('10.0.0.9/32=127.0.0.1/32+0'), anywhere), async () => '10.0.0.9');
});
afterAll(() => dialer.close());
beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'bundler-'));
  asked = [];
  servers = [];
  for (const name of ['source', 'target'] as const) {
    fronts[name] = () => false;
    stores[name] = await new Store(join(dir, name)).open();
    const s = createRegistry({
      store: stores[name],
      tls: pair,
      login: plainLogin({ keeper: 'k' }),
      scheme: name === 'source' ? 'bearer' : 'basic',
      before: (q, r) => {
        asked.push(`${name} ${q.method} ${q.url?.split('?')[0]}`);
        return fronts[name](q, r);
      },
    });
    servers.push(s);
    await new Promise<void>((done) => {
      s.listen(0, '127.0.0.1', done);
    });
    const { port } = s.address() as AddressInfo;
    at[name] = { dialer, endpoint: `registry.${name}.example:${port}`, trust: { ca: pair.cert }, user: 'keeper', password: 'k' };
  }
  blobs = Array.from({ length: 60 }, (_, n) => randomBytes(100 + n));
  for (const b of blobs) await stores.source.putBlob('from/a', sha(b), b);
});
afterEach(() => {
  for (const s of servers) {
    s.closeAllConnections();
    s.close();
  }
  rmSync(dir, { recursive: true, force: true });
});

const told = { bytes: 0, cuts: 0, wrong: 0 };
/** What became of each: carried together, or left to go alone. */
async function carry(list = blobs, pacer?: Pacer, more: object = {}) {
  Object.assign(told, { bytes: 0, cuts: 0, wrong: 0 });
  const bundler = new Bundler(at.source, at.target, pacer);
  return Promise.all(
    list.map((b) =>
      bundler.take(
        { repository: 'to/a', from: 'from/a', digest: sha(b), bytes: b.length, ...more },
        {
          onBytes: (n) => {
            told.bytes += n;
          },
          onCut: () => {
            told.cuts++;
          },
          onWrong: () => {
            told.wrong++;
          },
        },
      ),
    ),
  );
}
const bytesOf = (list: readonly Buffer[]) => list.reduce((n, b) => n + b.length, 0);
const standing = async () => {
  const there = await Promise.all(blobs.map((b) => stores.target.blobSize('to/a', sha(b))));
  return blobs.map((b, n) => there[n] === b.length);
};
const requests = (what: string) => asked.filter((a) => a.includes(what)).length;

describe('small blobs', () => {
  it('are carried in far fewer requests than there are blobs, and stand where they belong', async () => {
    expect(await carry()).toEqual(blobs.map(() => true));
    expect(await standing()).toEqual(blobs.map(() => true));
    expect(told).toEqual({ bytes: bytesOf(blobs), cuts: 0, wrong: 0 });
    expect(asked.length).toBeLessThan(blobs.length / 4);
    expect(requests('/v2/')).toBe(0);
  });

  it('go alone where the target knows no bundles, and none is read at the source', async () => {
    fronts.target = (req, res) => {
      if (req.url?.startsWith('/v2/')) return false;
      res.writeHead(404).end();
      return true;
    };
    expect(await carry()).toEqual(blobs.map(() => false));
    expect(requests('target')).toBe(1);
    // Whether it knows any; with the refusal that tells where to get a token, and the token.
    expect(requests('source')).toBeLessThanOrEqual(3);
    expect(await stores.source.pulls()).toEqual([]);
  });

  it('go alone where the source knows no bundles, which is asked once and not for each', async () => {
    fronts.source = (req, res) => {
      if (!req.url?.startsWith('/praesidor/')) return false;
      res.writeHead(404).end();
      return true;
    };
    expect(await carry()).toEqual(blobs.map(() => false));
    expect(requests('source')).toBe(1);
  });

  it('that are not held, or have other bytes than was said, go alone; the others do not wait for them', async () => {
    const strange = randomBytes(50);
    await stores.source.deleteBlob('from/a', sha(blobs[3] as Buffer));
    const list = [...blobs, strange];
    const carried = await carry(list);
    expect(carried).toEqual(list.map((b, n) => n !== 3 && b !== strange));
    expect(told.wrong).toBe(0);
    // A byte more than was said: the one that goes alone will tell.
    expect(await carry(blobs.slice(10, 20), undefined, { bytes: 5 })).toEqual(blobs.slice(10, 20).map(() => false));
  });

  it('that were changed on their way are counted as wrong, and do not stand', async () => {
    fronts.source = (req, res) => {
      if (req.url !== '/praesidor/blobs/read') return false;
      const write = res.write.bind(res) as (b: Buffer) => boolean;
      res.write = ((b: Buffer) => {
        const bad = Buffer.from(b);
        bad[b.length - 1] = (bad[b.length - 1] ?? 0) ^ 1;
        return write(bad);
      }) as never;
      return false;
    };
    const carried = await carry();
    expect(told.wrong).toBeGreaterThan(0);
    expect(carried.filter((c) => !c)).toHaveLength(told.wrong);
    expect(await standing()).toEqual(carried);
    expect(told.bytes).toBe(bytesOf(blobs.filter((_, n) => carried[n])));
  });

  it.each(['source', 'target'] as const)('go alone when the connection to the %s breaks, which is counted', async (end) => {
    fronts[end] = (req) => {
      if (!req.url?.endsWith(end === 'source' ? '/read' : '/write') || req.headers['content-length'] === '0') return false;
      req.socket.destroy();
      return true;
    };
    expect(await carry()).toEqual(blobs.map(() => false));
    expect(told.cuts).toBeGreaterThan(0);
    expect(told.bytes).toBe(0);
  });

  it('that find no room go alone, where that is said', async () => {
    stores.target.free = async () => 0;
    fronts.target = (req, res) => {
      if (!req.url?.endsWith('/write') || req.headers['content-length'] === '0') return false;
      res.writeHead(507).end();
      return true;
    };
    expect(await carry()).toEqual(blobs.map(() => false));
    expect(told).toEqual({ bytes: 0, cuts: 0, wrong: 0 });
  });

  it('end when the hours of the way end', async () => {
    const pacer = new Pacer(undefined, () => ({ open: false, until: '2026-11-23T20:00:00Z' }));
    await expect(carry(blobs, pacer)).rejects.toBeInstanceOf(Closed);
    expect(await stores.target.digests()).toEqual([]);
  });

  it('are no more than two seconds of a thin link at a time', async () => {
    const sizes: number[] = [];
    fronts.target = (req) => {
      if (req.url?.endsWith('/write')) sizes.push(Number(req.headers['content-length']));
      return false;
    };
    blobs = Array.from({ length: 40 }, () => randomBytes(30_000));
    for (const b of blobs) await stores.source.putBlob('from/a', sha(b), b);
    // 1 Mbit/s: 2 s × 125,000 bytes/s = 250,000 bytes; the last blob of a bundle begins below that.
    const pacer = new Pacer(1, undefined, { now: () => 0, sleep: async () => undefined });
    expect(await carry(blobs, pacer)).toEqual(blobs.map(() => true));
    expect(Math.max(...sizes)).toBeLessThan(250_000 + 30_000 + 2000);
    expect(sizes.length).toBeGreaterThan(4);
  });

  it('are not those that are large, empty, or were begun before', async () => {
    const large = randomBytes(65_537);
    expect(await carry([large, Buffer.alloc(0)])).toEqual([false, false]);
    expect(await carry(blobs.slice(0, 5), undefined, { upload: '/v2/to/a/blobs/uploads/x' })).toEqual([
      false,
      false,
      false,
      false,
      false,
    ]);
    expect(asked).toEqual([]);
  });
});
