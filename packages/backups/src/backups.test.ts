import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ProtocolError } from '@praesidor/protocols/dial';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import {
  blockName,
  type BlockStore,
  clearBlocks,
  Damaged,
  damageIn,
  folderStore,
  giveBack,
  indexName,
  keysOf,
  makeBackup,
  needing,
  readIndex,
  sealed,
  type Source,
  staleMs,
  type StoreKeys,
} from './index.ts';

const sha = (b: Uint8Array) => createHash('sha256').update(b).digest('hex');
/** A volume in blocks of `size` bytes. */
const volume = (bytes: Buffer, size = 16): Source & { reads: number[] } => {
  const parts = Array.from({ length: Math.ceil(bytes.length / size) }, (_, n) => bytes.subarray(n * size, (n + 1) * size));
  const reads: number[] = [];
  return {
    reads,
    all: async function* () {
      for (const p of parts) yield p;
    },
    blocks: async () => parts.map((p, n) => ({ n, bytes: p.length, sha256: sha(p) })),
    read: async function* (wanted) {
      for (const { n } of wanted) {
        reads.push(n);
        yield { n, bytes: parts[n] as Buffer };
      }
    },
  };
};
const folders: string[] = [];
const folder = () => {
  const dir = mkdtempSync(join(tmpdir(), 'backups-'));
  folders.push(dir);
  return dir;
};
afterEach(() => {
  for (const f of folders.splice(0)) rmSync(f, { recursive: true, force: true });
});
const back = async (store: BlockStore, keys: StoreKeys, name: string): Promise<Buffer> => {
  const out: Buffer[] = [];
  await giveBack(store, keys, await readIndex(store, keys, name), async (p) => {
    out.push(p.bytes);
  });
  return Buffer.concat(out);
};
const of = (n: number, name = 'ais-store/data-0') => ({
  cluster: 'plover',
  volume: name,
  at: `2026-11-${String(n).padStart(2, '0')}T02:00:00Z`,
});
const secret = 'seven lamps on the breakwater';

describe('a backup in a folder', () => {
  it('comes back as it went, shares what did not change, and sends that once', async () => {
    const store = folderStore(folder());
    const keys = await keysOf(store, secret);
    const first = Buffer.from('0123456789abcdef'.repeat(10));
    // Ten blocks that are alike: one is sent.
    const one = await makeBackup(store, keys, volume(first), of(1));
    expect(one.sent).toEqual({ blocks: 1, bytes: 16 });
    const second = Buffer.concat([
      first.subarray(0, 80),
      Buffer.from('fedcba9876543210'),
      first.subarray(96),
      Buffer.from('end'),
    ]);
    const source = volume(second);
    const two = await makeBackup(store, keys, source, of(2));
    // The block in the middle, and the short one at the end.
    expect([two.sent, source.reads]).toEqual([{ blocks: 2, bytes: 19 }, [5, 10]]);
    expect(await back(store, keys, one.name)).toEqual(first);
    expect(await back(store, keys, two.name)).toEqual(second);
    expect((await makeBackup(store, keys, volume(second), of(3))).sent).toEqual({ blocks: 0, bytes: 0 });
  });
  it('tells nobody what it holds: neither content nor digests stand in the files', async () => {
    const dir = folder();
    const store = folderStore(dir);
    const text = Buffer.from('the pilot boards at four o’clock');
    await makeBackup(store, await keysOf(store, secret), volume(text, 64), of(1));
    const files = readdirSync(dir, { recursive: true, withFileTypes: true }).filter((f) => f.isFile());
    expect(files.map((f) => f.name)).toHaveLength(3);
    for (const f of files) {
      expect(f.name).not.toBe(sha(text));
      expect(readFileSync(join(f.parentPath, f.name)).includes('pilot')).toBe(false);
    }
  });
  it('is not read with another secret, and says so', async () => {
    const store = folderStore(folder(), 'bw-objects');
    await keysOf(store, secret);
    await expect(keysOf(store, 'another')).rejects.toMatchObject({
      fault: 'credentials',
      message: 'bw-objects: what lies there is encrypted with another key than the keyring has',
    });
  });
  it('has one salt, whoever of two comes first', async () => {
    const store = folderStore(folder());
    const [a, b] = await Promise.all([keysOf(store, secret), keysOf(store, secret)]);
    expect(a).toEqual(b);
  });
  it('takes one of many who write the same name first, and the whole of what that one wrote', async () => {
    const store = folderStore(folder());
    const all = Array.from({ length: 24 }, (_, i) => Buffer.alloc(40_000 + i, i));
    const wrote = await Promise.all(all.map((b) => store.put('first.json', b, undefined, 'there')));
    expect(wrote.filter(Boolean)).toHaveLength(1);
    expect(await store.get('first.json')).toEqual(all[wrote.indexOf(true)]);
    const names: string[] = [];
    for await (const { name } of store.list('')) names.push(name);
    expect(names).toEqual(['first.json']);
  });
  it('of nothing is nothing', async () => {
    const store = folderStore(folder());
    const keys = await keysOf(store, secret);
    const { name } = await makeBackup(store, keys, volume(Buffer.alloc(0)), of(1));
    expect(await back(store, keys, name)).toEqual(Buffer.alloc(0));
  });

  it('that was ended in the middle goes on with what is lacking', async () => {
    const store = folderStore(folder());
    const keys = await keysOf(store, secret);
    const bytes = randomBytes(160);
    const stop = new AbortController();
    const cut: BlockStore = {
      ...store,
      put: async (name, b, s, u) => {
        if (name.startsWith('blocks/') && [...(await all(store, 'blocks/'))].length === 4) stop.abort();
        stop.signal.throwIfAborted();
        return store.put(name, b, s, u);
      },
    };
    await expect(makeBackup(cut, keys, volume(bytes), of(1), { signal: stop.signal, lanes: 1 })).rejects.toThrow();
    // Not one that counts: there is no index.
    expect(await all(store, 'indexes/')).toEqual([]);
    const made = await makeBackup(store, keys, volume(bytes), of(1));
    expect(made.sent).toEqual({ blocks: 6, bytes: 96 });
    expect(await back(store, keys, made.name)).toEqual(bytes);
    expect(await all(store, 'at-work/')).toEqual([]);
  });
  it('of a volume that somebody writes to is none', async () => {
    const store = folderStore(folder());
    const keys = await keysOf(store, secret);
    await makeBackup(store, keys, volume(Buffer.alloc(32, 3)), of(1));
    const source = volume(Buffer.alloc(32, 1));
    const other: Source = {
      ...source,
      read: async function* () {
        yield { n: 0, bytes: Buffer.alloc(16, 2) };
      },
    };
    await expect(makeBackup(store, keys, other, of(2))).rejects.toThrow('somebody writes to it');
    expect(await all(store, 'indexes/')).toHaveLength(1);
  });

  it.each<[string, (path: string) => void, 'damaged' | 'missing']>([
    ['a bit of it turned', (p) => flip(p, 20), 'damaged'],
    ['its last byte lost', (p) => writeFileSync(p, readFileSync(p).subarray(0, -1)), 'damaged'],
    ['it lost', (p) => rmSync(p), 'missing'],
  ])('is not given back with %s, and the backups that need it are named', async (_, spoil, is) => {
    const dir = folder();
    const store = folderStore(dir);
    const keys = await keysOf(store, secret);
    const bytes = randomBytes(64);
    const one = await makeBackup(store, keys, volume(bytes), of(1));
    await makeBackup(store, keys, volume(bytes), of(2));
    await makeBackup(store, keys, volume(randomBytes(64)), of(3));
    const id = one.index.blocks[2] as string;
    spoil(join(dir, blockName(id)));
    const came: number[] = [];
    const given = giveBack(store, keys, one.index, async (p) => {
      came.push(p.n);
    });
    await expect(given).rejects.toThrow(Damaged);
    await expect(given).rejects.toThrow(`block 2 (${id.slice(0, 12)}) is ${is}`);
    expect(came).toEqual([0, 1]);
    expect(await damageIn(store, keys, one.index)).toEqual([{ id, n: 2, is }]);
    expect((await needing(store, keys, new Set([id]))).map((x) => x.at)).toEqual([of(1).at, of(2).at]);
  });
  it('two blocks in each other’s place are found, and an index of another backup in its place', async () => {
    const dir = folder();
    const store = folderStore(dir);
    const keys = await keysOf(store, secret);
    const { index, name } = await makeBackup(store, keys, volume(randomBytes(48)), of(1));
    const [a, b] = index.blocks.map((x) => join(dir, blockName(x))) as [string, string];
    const [x, y] = [readFileSync(a), readFileSync(b)];
    writeFileSync(a, y);
    writeFileSync(b, x);
    expect((await damageIn(store, keys, index)).map((d) => d.n)).toEqual([0, 1]);
    const other = await makeBackup(store, keys, volume(randomBytes(48)), of(2));
    writeFileSync(join(dir, name), readFileSync(join(dir, other.name)));
    await expect(readIndex(store, keys, name)).rejects.toMatchObject({ fault: 'digest' });
  });
});
const all = async (store: BlockStore, prefix: string): Promise<string[]> => {
  const out: string[] = [];
  for await (const s of store.list(prefix)) out.push(s.name);
  return out;
};
const flip = (path: string, at: number) => {
  const b = readFileSync(path);
  b[at] = (b[at] as number) ^ 4;
  writeFileSync(path, b);
};

describe('what no backup needs', () => {
  it('goes, and nothing else', async () => {
    const store = folderStore(folder());
    const keys = await keysOf(store, secret);
    const shared = randomBytes(32);
    const one = await makeBackup(store, keys, volume(Buffer.concat([shared, randomBytes(32)])), of(1));
    const two = await makeBackup(store, keys, volume(Buffer.concat([shared, randomBytes(16)])), of(2));
    await store.remove([one.name]);
    // Two blocks of the first alone, each of 16 bytes with 16 behind.
    expect(await clearBlocks(store, keys)).toEqual({ blocks: 2, bytes: 64 });
    expect((await all(store, 'blocks/')).sort()).toEqual(two.index.blocks.map(blockName).sort());
    expect(await clearBlocks(store, keys)).toEqual({ blocks: 0, bytes: 0 });
  });
  it('stays while somebody makes a backup, until an hour after that one was last heard of', async () => {
    const dir = folder();
    const store = folderStore(dir);
    const keys = await keysOf(store, secret);
    await store.put('blocks/aa/left', Buffer.from('x'));
    await store.put('at-work/somebody', Buffer.from('1'));
    expect(await clearBlocks(store, keys)).toBeUndefined();
    expect(await all(store, 'blocks/')).toEqual(['blocks/aa/left']);
    const before = (Date.now() - staleMs - 1000) / 1000;
    utimesSync(join(dir, 'at-work/somebody'), before, before);
    expect(await clearBlocks(store, keys)).toEqual({ blocks: 1, bytes: 1 });
  });
  it('stays where an index cannot be read: what that one needs is not known', async () => {
    const dir = folder();
    const store = folderStore(dir);
    const keys = await keysOf(store, secret);
    const { index, name } = await makeBackup(store, keys, volume(randomBytes(16)), of(1));
    flip(join(dir, name), 60);
    await expect(clearBlocks(store, keys)).rejects.toMatchObject({
      fault: 'digest',
      message: expect.stringContaining(indexName(index)),
    });
    expect(await all(store, 'blocks/')).toHaveLength(1);
  });
});

it('waits for who clears away: a block that was there when it was asked for is sent again', async () => {
  const store = folderStore(folder());
  const keys = await keysOf(store, secret);
  const bytes = randomBytes(32);
  // Left behind: blocks that no index needs, and that the next backup has.
  const old = await makeBackup(store, keys, volume(bytes), of(1));
  await store.remove([old.name]);
  let making: Promise<unknown> | undefined;
  const clearing: BlockStore = {
    ...store,
    list: async function* (prefix, signal) {
      if (prefix === 'blocks/') {
        // It has read all indexes by now. Whoever begins a backup at this moment goes as far as it does.
        const waits = new Promise<void>((done) => {
          const maker: BlockStore = {
            ...store,
            remove: async (names) => {
              await store.remove(names);
              done();
            },
          };
          making = makeBackup(maker, keys, volume(bytes), of(2), { waitMs: 5 });
        });
        await Promise.race([making, waits]);
      }
      yield* store.list(prefix, signal);
    },
  };
  expect((await clearBlocks(clearing, keys))?.blocks).toBe(2);
  await making;
  expect(await back(store, keys, indexName(of(2)))).toEqual(bytes);
});
it('says that it is at work also while its volume is told and nothing is sent; one whose mark was taken away is no backup', async () => {
  const dir = folder();
  const store = folderStore(dir);
  const keys = await keysOf(store, secret);
  await makeBackup(store, keys, volume(randomBytes(16)), of(1));
  const mark = async () => (await all(store, 'at-work/'))[0] as string;
  const told = (act: () => Promise<void>): Source => {
    const source = volume(randomBytes(32));
    const blocks = async () => {
      await act();
      return source.blocks();
    };
    return { ...source, blocks };
  };
  const old = (Date.now() - staleMs - 1000) / 1000;
  // As if an hour had passed: it is renewed before anybody takes it for gone.
  const slow = told(async () => {
    utimesSync(join(dir, await mark()), old, old);
    while (statSync(join(dir, await mark())).mtimeMs < Date.now() - 60_000) await new Promise((done) => setTimeout(done, 5));
    expect(await clearBlocks(store, keys)).toBeUndefined();
  });
  await makeBackup(store, keys, slow, of(2), { renewMs: 10 });
  const lost = told(async () => store.remove([await mark()]));
  await expect(makeBackup(store, keys, lost, of(3))).rejects.toMatchObject({ fault: 'cut' });
  expect(await all(store, 'indexes/')).toHaveLength(2);
});
it('is damaged where something else was written under the name of a block', async () => {
  const store = folderStore(folder());
  const keys = await keysOf(store, secret);
  const { index } = await makeBackup(store, keys, volume(randomBytes(16)), of(1));
  const [id = ''] = index.blocks;
  await store.put(blockName(id), await sealed(keys, id, randomBytes(16)));
  expect(await damageIn(store, keys, index)).toEqual([{ id, n: 0, is: 'damaged' }]);
});

/** A store in memory of which every act waits its turn: `order` says whose is next. */
function inTurns(order: () => number): {
  store: (who: number) => BlockStore;
  run: (acts: Promise<unknown>[]) => Promise<void>;
  files: Map<string, Buffer>;
} {
  const files = new Map<string, Buffer>();
  const waiting: { who: number; go: () => void }[] = [];
  const turn = (who: number) => new Promise<void>((go) => waiting.push({ who, go }));
  let clock = 0;
  const times = new Map<string, number>();
  const store = (who: number): BlockStore => ({
    title: 'memory',
    put: async (name, bytes, _, unless) => {
      await turn(who);
      if (unless && files.has(name)) return false;
      files.set(name, Buffer.from(bytes));
      times.set(name, clock++);
      return true;
    },
    get: async (name) => {
      await turn(who);
      const f = files.get(name);
      if (!f) throw new ProtocolError('missing', 'memory', name);
      return f;
    },
    has: async (name) => {
      await turn(who);
      return files.has(name);
    },
    list: async function* (prefix) {
      await turn(who);
      for (const [name, b] of [...files]) if (name.startsWith(prefix)) yield { name, bytes: b.length, at: times.get(name) ?? 0 };
    },
    remove: async (names) => {
      await turn(who);
      for (const n of names) files.delete(n);
    },
  });
  const run = async (acts: Promise<unknown>[]) => {
    let left = acts.length;
    for (const a of acts)
      void a.then(
        () => left--,
        () => left--,
      );
    while (left) {
      // Everybody gets as far as the next thing that it asks of the store.
      await new Promise((done) => setImmediate(done));
      if (!waiting.length) {
        await new Promise((done) => setTimeout(done, 1));
        continue;
      }
      waiting.splice(order() % waiting.length, 1)[0]?.go();
    }
    await Promise.all(acts);
  };
  return { store, run, files };
}

it('however makers, clearers and those who drop old ones come between each other, what has an index is whole', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.nat(1000), { minLength: 60, maxLength: 400 }),
      fc.array(fc.array(fc.nat(5), { minLength: 1, maxLength: 5 }), { minLength: 2, maxLength: 4 }),
      fc.nat(3),
      async (order, volumes, clearers) => {
        let i = 0;
        const { store, run, files } = inTurns(() => order[i++ % order.length] as number);
        const keys: StoreKeys = { name: Buffer.alloc(32, 1), seal: Buffer.alloc(32, 2) };
        // Few contents, so that they share blocks.
        const bytesOf = (v: number[]) => Buffer.concat(v.map((n) => Buffer.alloc(16, n)));
        const work = volumes.map(async (v, who) => {
          const s = store(who);
          const old = await makeBackup(s, keys, volume(bytesOf([...v].reverse())), of(1, `v${who}`), { lanes: 2, waitMs: 1 });
          // Dropped before the next one is made: its blocks are anybody's then.
          await s.remove([old.name]);
          await makeBackup(s, keys, volume(bytesOf(v)), of(2, `v${who}`), { lanes: 2, waitMs: 1 });
        });
        const clear = Array.from({ length: clearers + 1 }, async (_, k) => {
          for (let n = 0; n < 4; n++) await clearBlocks(store(100 + k), keys);
        });
        await run([...work, ...clear]);
        const left = inTurns(() => 0);
        for (const [n, b] of files) left.files.set(n, b);
        const plain = left.store(0);
        const reading = (async () => {
          for (const [who, v] of volumes.entries())
            expect(await back(plain, keys, indexName(of(2, `v${who}`)))).toEqual(bytesOf(v));
        })();
        await left.run([reading]);
      },
    ),
    { numRuns: 150 },
  );
}, 120_000);
