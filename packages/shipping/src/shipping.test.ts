import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { appendFileSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { repairOf, type ShipmentManifest } from '@praesidor/core/images';
import { anywhere, Dialer, Exits, parseAddressMap, ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, hasManifest, pushBlob, putManifest, readOn, type RegistryAt } from '@praesidor/protocols/oci';
import { createRegistry, plainLogin, type RegistryOptions, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';
import { CaseFolder, landCase, NotACase, packCases, planCases, readManifests, verifyCase } from './index.ts';

/** Two registries of the product, with whatever a test puts in front of them; what travels between is real HTTP over TLS. */
const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const imageType = 'application/vnd.oci.image.manifest.v1+json';
type Before = (req: IncomingMessage, res: ServerResponse) => boolean;
let pair: { key: string; cert: string };
let dialer: Dialer;
let dir: string;
const fronts: { source: Before; target: Before } = { source: () => false, target: () => false };
const servers: Record<string, Server> = {};
const stores: Record<string, Store> = {};
let source: RegistryAt;
let target: RegistryAt;

async function serve(name: 'source' | 'target', options: Partial<RegistryOptions> = {}, limitBytes?: number) {
  servers[name]?.closeAllConnections();
  servers[name]?.close();
  const store = await new Store(join(dir, name), limitBytes === undefined ? {} : { limitBytes }).open();
  stores[name] = store;
  const s = createRegistry({
    store,
    tls: pair,
    login: plainLogin({ keeper: 'k' }),
    before: (q, r) => fronts[name](q, r),
    ...options,
  });
  servers[name] = s;
  await new Promise<void>((done) => {
    s.listen(0, '127.0.0.1', done);
  });
  const port = (s.address() as AddressInfo).port;
  return { dialer, endpoint: `registry.${name}.example:${port}`, trust: { ca: pair.cert }, user: 'keeper', password: 'k' };
}
beforeAll(async () => {
  pair = await makeCertificate({ commonName: 'registries', names: ['registry.source.example', 'registry.target.example'] });
  dialer = new Dialer(new Exits(parseAddressMap('10.0.0.9/32=127.0.0.1/32+0'), anywhere), async () => '10.0.0.9');
});
afterAll(() => dialer.close());
beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'shipping-'));
  fronts.source = () => false;
  fronts.target = () => false;
  source = await serve('source');
  target = await serve('target');
});
afterEach(() => {
  for (const s of Object.values(servers)) {
    s.closeAllConnections();
    s.close();
  }
  rmSync(dir, { recursive: true, force: true });
});

async function publish(repository: string, tag: string, ...layers: Buffer[]): Promise<ShipmentManifest['images'][number]> {
  const config = Buffer.from(`{"of":"${repository}:${tag}"}`);
  for (const b of [config, ...layers]) await pushBlob(source, repository, sha(b), b.length, () => one(b));
  const body = Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: imageType,
      config: { digest: sha(config), size: config.length },
      layers: layers.map((l) => ({ digest: sha(l), size: l.length })),
    }),
  );
  await putManifest(source, repository, tag, imageType, body);
  for (const b of [config, ...layers]) sizes[sha(b)] = b.length;
  return {
    repository,
    tag,
    digest: sha(body),
    manifests: [{ digest: sha(body), bytes: 0 }],
    blobs: [config, ...layers].map(sha),
  };
}
const sizes: Record<string, number> = {};
async function* one(b: Buffer, from = 0) {
  yield b.subarray(from);
}
const draft = { shipment: 'LR-5', at: '2026-11-23T09:00:00Z', from: 'source', to: 'target', bills: ['1'] };
const folder = (n: number) => join(dir, `case-${n}`);
const box = (n: number) => new CaseFolder(folder(n));

/** Four images, of them one with a layer larger than a case; packed. */
async function packed(caseBytes = 40_000) {
  const shared = randomBytes(9000);
  const images = [
    await publish('core/api', '1', shared, randomBytes(70_000)),
    await publish('core/dns', '1', shared, randomBytes(12_000)),
    await publish('core/agent', '1', randomBytes(20_000)),
  ];
  const m = await readManifests(source, images);
  const travelling = [...new Set(images.flatMap((i) => i.blobs))];
  const plan = planCases(draft, m.images, sizes, travelling, caseBytes);
  const w = await packCases(plan, source, m.bodies, folder);
  return { images, w, m, plan };
}
const landAll = async (order: number[], hooks = {}) => {
  let last: Awaited<ReturnType<typeof landCase>> | undefined;
  for (const n of order) last = await landCase(box(n), target, join(dir, 'keep'), hooks);
  return last as NonNullable<typeof last>;
};
const numbers = (w: ShipmentManifest) => w.cases.map((c) => c.number);
const faultOf = (act: Promise<unknown>) =>
  act.then(
    () => undefined,
    (e: unknown) => (e instanceof ProtocolError ? e.fault : (e as Error).message),
  );

describe('cases', () => {
  it('are no larger than asked for, and sha256sum finds every file as it is listed', async () => {
    const { w } = await packed();
    expect(w.cases.length).toBeGreaterThan(3);
    for (const n of numbers(w)) {
      const bytes = execFileSync('du', ['-sb', '--apparent-size', folder(n)])
        .toString()
        .split('\t')[0];
      // Folders themselves are counted by du: four of 4,096 bytes.
      expect(Number(bytes) - 4 * 4096).toBeLessThanOrEqual(40_000);
      expect(execFileSync('sha256sum', ['-c', '--strict', 'SHA256SUMS'], { cwd: folder(n) }).toString()).not.toMatch(/FAILED/);
      expect(await verifyCase(box(n))).toMatchObject({ shipment: 'LR-5', number: n, of: w.cases.length, bad: [] });
    }
  });
  it('land in any order, again and again; the last one completes what waited', async () => {
    const { w, images } = await packed();
    const order = numbers(w).reverse();
    const first = await landAll(order.slice(0, 1));
    expect(first.images).toBeLessThan(3);
    expect(first.lacking.length).toBeGreaterThan(0);
    expect(await landAll(order)).toMatchObject({ images: 3, of: 3, lacking: [], bad: [] });
    for (const i of images) expect(await hasManifest(target, i.repository, '1')).toBe(i.digest);
    expect(readdirSync(join(dir, 'keep/parts'))).toEqual([]);
    expect(await landAll(numbers(w))).toMatchObject({ images: 3, lacking: [], bad: [] });
    for (const d of await (stores.target as Store).digests())
      expect(sha(readFileSync((stores.target as Store).blobPath(d)))).toBe(d);
  });
  it('are packed on at the byte where they stood', async () => {
    const { w, plan, m } = await packed();
    const path = w.cases[0]?.pieces[0] as ShipmentManifest['cases'][number]['pieces'][number];
    const file = join(folder(1), `parts/${path.digest.slice(7)}.${path.from}`);
    const whole = readFileSync(file);
    rmSync(file);
    writeFileSync(`${file}.incoming`, whole.subarray(0, 1234));
    const asked: string[] = [];
    fronts.source = (q) => {
      if (q.url?.includes('/blobs/')) asked.push(String(q.headers.range));
      return false;
    };
    const again = await packCases(plan, source, m.bodies, folder);
    expect(asked).toEqual([`bytes=${path.from + 1234}-${path.to - 1}`]);
    expect(again).toEqual(w);
    expect(readFileSync(file).equals(whole)).toBe(true);
  });
  it('on a disk without room say so, keep what arrived, and go on when there is room', async () => {
    const bytes = randomBytes(60_000);
    const own = await box(9).open();
    async function* running(out: boolean) {
      const at = await own.partial('blobs/sha256/x');
      yield Buffer.from(bytes.subarray(at, 40_000));
      if (out) throw Object.assign(new Error('write'), { code: 'ENOSPC' });
      yield Buffer.from(bytes.subarray(40_000));
    }
    const want = sha(bytes).slice(7);
    const e = (await own.take('blobs/sha256/x', want, running(true), () => undefined).catch((x: unknown) => x)) as ProtocolError;
    expect([e.fault, e.message]).toEqual(['full', expect.stringContaining('the disk that cases are packed on is full')]);
    expect(await own.partial('blobs/sha256/x')).toBe(40_000);
    expect(await own.size('blobs/sha256/x')).toBeUndefined();
    async function* rest() {
      yield Buffer.from(bytes.subarray(40_000));
    }
    expect(await own.take('blobs/sha256/x', want, rest(), () => undefined)).toBe(want);
    expect(readFileSync(own.file('blobs/sha256/x')).equals(bytes)).toBe(true);
  });
  it('that were damaged, cut short or lost are named, the rest lands, and the repair is the least there can be', async () => {
    const { w } = await packed();
    const small = w.cases
      .flatMap((c) => c.pieces.map((p) => ({ c: c.number, p })))
      .filter(({ p }) => p.from === 0 && p.to === sizes[p.digest]);
    const [hurt, short] = small.filter(({ p }) => p.to > 5000) as [(typeof small)[number], (typeof small)[number]];
    const file = (x: (typeof small)[number]) => join(folder(x.c), `blobs/sha256/${x.p.digest.slice(7)}`);
    const bytes = readFileSync(file(hurt));
    bytes[100] = (bytes[100] as number) ^ 1;
    writeFileSync(file(hurt), bytes);
    truncateSync(file(short), 4000);
    const lost = w.cases.find((c) => c.number !== hurt.c && c.number !== short.c)?.number as number;
    const found = [];
    for (const n of numbers(w).filter((x) => x !== lost)) {
      const v = await verifyCase(box(n));
      const l = await landCase(box(n), target, join(dir, 'keep'));
      expect(l.bad.map((b) => b.path).sort()).toEqual(v.bad.map((b) => b.path).sort());
      found.push({ number: n, bad: v.bad });
    }
    const r = repairOf(w, { cases: found });
    expect(r.missing).toEqual([lost]);
    expect(r.damaged.map((d) => d.why).sort()).toEqual([`has 4000 of ${short.p.to} bytes`, 'has other bytes than were packed']);
    const lostBytes = w.cases.find((c) => c.number === lost)?.bytes as number;
    expect(r.bytes).toBe(hurt.p.to + short.p.to + lostBytes);
    expect((await (stores.target as Store).digests()).includes(hurt.p.digest)).toBe(false);
  });
  it('that are none, or lie about what they are, are refused with a reason', async () => {
    const { w } = await packed();
    expect(await faultOf(landCase(new CaseFolder(join(dir, 'nowhere')), target, dir))).toContain(
      'is no case, or it was not finished',
    );
    const text = readFileSync(join(folder(1), 'shipment.json'), 'utf8');
    writeFileSync(join(folder(1), 'shipment.json'), text.slice(0, text.length >> 1));
    await expect(verifyCase(box(1))).rejects.toThrow('read only halfway');
    writeFileSync(join(folder(1), 'shipment.json'), text.replace('"core/api"', '"../../etc"'));
    await expect(verifyCase(box(1))).rejects.toBeInstanceOf(NotACase);
    appendFileSync(join(folder(2), 'SHA256SUMS'), `${'0'.repeat(64)}  ../../../etc/passwd\n`);
    expect([...(await box(2).sums()).keys()].some((p) => p.includes('..'))).toBe(false);
    expect(w.cases.length).toBeGreaterThan(1);
  });
});

describe('on the way', () => {
  it('a connection that breaks at any byte, while reading or while sending, costs nothing but the rest', async () => {
    const bytes = randomBytes(2_200_000);
    const digest = sha(bytes);
    await pushBlob(source, 'core/api', digest, bytes.length, (f) => one(bytes, f));
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: bytes.length - 1 }),
        fc.integer({ min: 1, max: bytes.length - 1 }),
        async (cutAt, sendCut) => {
          let cut = true;
          fronts.source = (q, res) => {
            if (!cut || q.method !== 'GET') return false;
            cut = false;
            let left = cutAt;
            const write = res.write.bind(res) as (c: Buffer, sent?: () => void) => boolean;
            res.write = ((c: Buffer) => {
              if (c.length < left) {
                left -= c.length;
                return write(c);
              }
              write(c.subarray(0, left), () => q.socket.destroy());
              left = Number.POSITIVE_INFINITY;
              return true;
            }) as never;
            return false;
          };
          const got: Buffer[] = [];
          const cuts: number[] = [];
          for await (const c of readOn(
            source,
            'core/api',
            { digest, from: 0, to: bytes.length, size: bytes.length },
            { onCut: (at) => cuts.push(at) },
          ))
            got.push(c);
          expect(sha(Buffer.concat(got))).toBe(digest);
          expect(cuts.length).toBe(1);

          let sending = true;
          fronts.target = (q) => {
            if (!sending || q.method !== 'PATCH') return false;
            sending = false;
            let seen = 0;
            q.on('data', (c: Buffer) => {
              seen += c.length;
              if (seen >= sendCut) q.socket.destroy();
            });
            q.pause();
            return false;
          };
          const resumed: number[] = [];
          await pushBlob(target, `cut/${cutAt}-${sendCut}`, digest, bytes.length, (f) => one(bytes, f), {
            onCut: (at) => resumed.push(at),
          });
          expect(sha(readFileSync((stores.target as Store).blobPath(digest)))).toBe(digest);
          expect(resumed.length).toBeGreaterThanOrEqual(1);
        },
      ),
      { numRuns: 8 },
    );
  }, 60_000);

  it('an upload that a killed process began is gone on with by the next', async () => {
    const bytes = randomBytes(3_000_000);
    const digest = sha(bytes);
    let place = '';
    const halt = new AbortController();
    const first = pushBlob(
      { ...target, signal: halt.signal },
      'core/api',
      digest,
      bytes.length,
      async function* (from) {
        for (let at = from; at < bytes.length; at += 100_000) {
          if (at >= 1_500_000) halt.abort();
          yield bytes.subarray(at, at + 100_000);
          await new Promise((r) => setImmediate(r));
        }
      },
      { onOpened: (l) => void (place = l) },
    );
    expect(await faultOf(first)).toBe('cancelled');
    const id = place.split('/').at(-1) as string;
    await vi.waitFor(async () => expect(await stores.target?.uploadSize(id)).toBeGreaterThan(500_000));
    const begun: number[] = [];
    await pushBlob(
      target,
      'core/api',
      digest,
      bytes.length,
      (from) => {
        begun.push(from);
        return one(bytes, from);
      },
      { resume: place },
    );
    expect(begun[0]).toBeGreaterThan(500_000);
    expect(sha(readFileSync((stores.target as Store).blobPath(digest)))).toBe(digest);
  });

  it('a wrong byte is thrown away wherever it comes from, and the next try goes through', async () => {
    const images = [await publish('core/api', '1', randomBytes(8000))];
    const m = await readManifests(source, images);
    const plan = planCases(
      draft,
      m.images,
      sizes,
      images.flatMap((i) => i.blobs),
      1e6,
    );
    let spoil = true;
    fronts.source = (q, res) => {
      if (!spoil || !q.url?.includes('/blobs/')) return false;
      const write = res.write.bind(res) as (c: Buffer) => boolean;
      res.write = ((c: Buffer) => write(Buffer.concat([Buffer.from([(c[0] as number) ^ 1]), c.subarray(1)]))) as never;
      return false;
    };
    expect(await faultOf(packCases(plan, source, m.bodies, folder))).toBe('digest');
    expect(readdirSync(join(folder(1), 'blobs/sha256'))).toEqual([]);
    expect(existsSync(join(folder(1), 'SHA256SUMS'))).toBe(false);
    spoil = false;
    await packCases(plan, source, m.bodies, folder);
    const bad = randomBytes(100);
    expect(await faultOf(pushBlob(target, 'core/api', sha(bad), 100, () => one(randomBytes(100))))).toBe('digest');
    expect(await landAll([1])).toMatchObject({ images: 1, bad: [] });
  });

  it('told to come again later, it comes later', async () => {
    const bytes = randomBytes(5000);
    let busy = 3;
    const times: number[] = [];
    fronts.target = (q, res) => {
      if (!q.url?.includes('/uploads/') || busy-- <= 0) return false;
      times.push(Date.now());
      res
        .writeHead(busy % 2 ? 429 : 503, {
          'retry-after': busy === 1 ? new Date(Date.now() + 1500).toUTCString() : '0',
          connection: 'close',
        })
        .end();
      return true;
    };
    await pushBlob(target, 'core/api', sha(bytes), bytes.length, (f) => one(bytes, f));
    expect(times).toHaveLength(3);
    expect(await (stores.target as Store).digests()).toContain(sha(bytes));
  });

  it('a token that ends in the middle of an upload is got anew, and the upload goes on', async () => {
    let now = Date.now();
    target = await serve('target', { scheme: 'bearer', tokenSeconds: 300, now: () => new Date(now) });
    // By challenge only: a name and a password with every request are not taken.
    let given = 0;
    fronts.target = (q) => {
      if (q.url?.startsWith('/token')) given += q.url.includes('push') ? 1 : 0;
      else if (q.headers.authorization?.startsWith('Basic')) delete q.headers.authorization;
      return false;
    };
    const bytes = randomBytes(2_500_000);
    const resumed: number[] = [];
    let once = true;
    const before = fronts.target;
    fronts.target = (q, r) => {
      // While the first bytes travel, five minutes go by.
      if (q.method === 'PATCH' && once) {
        once = false;
        now += 301_000;
      }
      return before(q, r);
    };
    await pushBlob(target, 'core/api', sha(bytes), bytes.length, (f) => one(bytes, f), { onCut: (at) => resumed.push(at) });
    expect(given).toBe(2);
    expect(resumed.length).toBe(1);
    expect(sha(readFileSync((stores.target as Store).blobPath(sha(bytes))))).toBe(sha(bytes));
    expect((await getManifest(source, 'core/api', '1').catch((e: ProtocolError) => e.fault)) as unknown).toBe('missing');
  });

  it('a full disk says so, keeps what landed, and with room the rest lands', async () => {
    const { w } = await packed();
    target = await serve('target', {}, 50_000);
    expect(await faultOf(landAll(numbers(w)))).toBe('full');
    const kept = await (stores.target as Store).digests();
    target = await serve('target');
    expect(await landAll(numbers(w))).toMatchObject({ images: 3, lacking: [] });
    expect(await (stores.target as Store).digests()).toEqual(expect.arrayContaining(kept));
    expect(readdirSync(join(dir, 'target/uploads'))).toEqual([]);
  });

  it('nobody is shown credentials but the registry itself', async () => {
    target = await serve('target', { scheme: 'bearer' });
    fronts.target = (q, res) => {
      if (q.url?.startsWith('/token')) throw new Error('asked');
      res.writeHead(401, { 'www-authenticate': 'Bearer realm="https://elsewhere.example/token"' }).end();
      return true;
    };
    expect(await faultOf(pushBlob(target, 'core/api', sha(Buffer.from('x')), 1, () => one(Buffer.from('x'))))).toBe(
      'credentials',
    );
  });
});
