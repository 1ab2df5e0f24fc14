import { open } from 'node:fs/promises';
import { blockBytes } from '@praesidor/core/backup';
import { digestOf, keysOf, makeBackup, type Source } from '@praesidor/backups';
import { anywhere, Dialer, Exits } from '@praesidor/protocols/dial';
import { openBucket } from '@praesidor/protocols/s3';

/** A file as a volume that lies here. */
async function fileSource(path: string, count: number): Promise<Source & { close(): Promise<void> }> {
  const file = await open(path);
  const read = async (n: number) => {
    const bytes = Buffer.allocUnsafe(blockBytes);
    const { bytesRead } = await file.read(bytes, 0, blockBytes, n * blockBytes);
    return bytes.subarray(0, bytesRead);
  };
  return {
    all: async function* () {
      for (let n = 0; n < count; n++) yield await read(n);
    },
    blocks: async () => {
      const out = new Array<{ n: number; bytes: number; sha256: string }>(count);
      let next = 0;
      const lane = async () => {
        for (let n = next++; n < count; n = next++) {
          const b = await read(n);
          out[n] = { n, bytes: b.length, sha256: await digestOf(b) };
        }
      };
      await Promise.all([lane(), lane()]);
      return out;
    },
    read: async function* (wanted) {
      for (const { n } of wanted) yield { n, bytes: await read(n) };
    },
    close: () => file.close(),
  };
}

/** Backs a file up twice, as a process that does nothing else, and says what each took. */
const [, , path = '', port = '', ca = '', count = ''] = process.argv;
const dialer = new Dialer(new Exits([], anywhere), async () => '127.0.0.1');
const bucket = openBucket({
  dialer,
  host: 'objects.example',
  port: Number(port),
  bucket: 'two',
  region: 'bw',
  trust: { ca },
  credential: { user: 'keeper', secret: 'bench' },
});
const keys = await keysOf(bucket, 'of the benchmark');
const source = await fileSource(path, Number(count));
for (const at of ['2026-11-01T00:00:00Z', '2026-11-02T00:00:00Z']) {
  const t = performance.now();
  const { sent, index } = await makeBackup(bucket, keys, source, { cluster: 'bench', volume: 'v', at });
  process.stdout.write(`${JSON.stringify({ ms: performance.now() - t, sent: sent.bytes, bytes: index.bytes })}\n`);
}
await source.close();
bucket.close();
await dialer.close();
