import { spawn, spawnSync } from 'node:child_process';
import { createCipheriv } from 'node:crypto';
import { closeSync, mkdtempSync, openSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { blockBytes } from '@praesidor/core/backup';
import { percent, row } from './measure.ts';

const took = async (act: () => Promise<void>): Promise<number> => {
  const t = performance.now();
  await act();
  return performance.now() - t;
};

const gb = 2;
const count = Math.floor((gb * 1e9) / blockBytes);

/** What a backup takes beside a digest and an upload of the same bytes by programs that are not ours, to the same store. */
export async function backups(): Promise<void> {
  const dir = mkdtempSync(join(process.env.BENCH_DIR ?? tmpdir(), 'backups-'));
  const store = spawn(process.execPath, ['--import', 'tsx', join(import.meta.dirname, 'backups-store.ts'), dir], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  try {
    const said = JSON.parse(
      await new Promise<string>((done) => store.stdout.once('data', (d: Buffer) => done(d.toString()))),
    ) as { port: number; ca: string };
    const path = join(dir, 'volume');
    const out = openSync(path, 'w');
    const cipher = createCipheriv('aes-256-ctr', Buffer.alloc(32, 7), Buffer.alloc(16));
    const zeros = Buffer.alloc(blockBytes);
    const urls: string[] = [];
    for (let n = 0; n < count; n++) {
      const piece = cipher.update(zeros);
      writeSync(out, piece);
      writeFileSync(join(dir, `p${n}`), piece);
      urls.push(`upload-file = "${join(dir, `p${n}`)}"\nurl = "https://objects.example:${said.port}/one/p${n}"`);
    }
    closeSync(out);
    writeFileSync(join(dir, 'ca.pem'), said.ca);
    writeFileSync(join(dir, 'curl.conf'), urls.join('\n'));
    const reference = await took(async () => {
      spawnSync('openssl', ['dgst', '-sha256', path], { stdio: 'ignore' });
      const r = await new Promise<number | null>((done) =>
        spawn(
          'curl',
          [
            '-s',
            '-S',
            '--fail',
            '--cacert',
            join(dir, 'ca.pem'),
            '--connect-to',
            `objects.example:${said.port}:127.0.0.1:${said.port}`,
            '--aws-sigv4',
            'aws:amz:bw:s3',
            '--user',
            'keeper:bench',
            '-H',
            'x-amz-content-sha256: UNSIGNED-PAYLOAD',
            '-H',
            'expect:',
            '-K',
            join(dir, 'curl.conf'),
          ],
          { stdio: ['ignore', 'ignore', 'inherit'] },
        ).once('close', done),
      );
      if (r !== 0) throw new Error(`curl ended with ${r}`);
    });
    const made = spawnSync(
      process.execPath,
      ['--import', 'tsx', join(import.meta.dirname, 'backups-make.ts'), path, String(said.port), said.ca, String(count)],
      { stdio: ['ignore', 'pipe', 'inherit'] },
    );
    const [first, again] = made.stdout
      .toString()
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as { ms: number; sent: number; bytes: number });
    if (!first || !again) throw new Error(`the backup ended with ${made.status}`);
    const ours = first.ms;
    row(
      `backup of ${gb} GB in blocks of 4 MiB over HTTPS, beside openssl dgst -sha256 and curl to the same store`,
      `${(ours / 1000).toFixed(1)} s and ${(reference / 1000).toFixed(1)} s: ${(reference / ours).toFixed(2)} of its rate`,
      '≥ 0.8',
      reference / ours >= 0.8,
    );
    const share = again.sent / again.bytes;
    row('sent of a volume that did not change', percent(share), '≤ 1 %', share <= 0.01);
  } finally {
    store.stdin.end();
    rmSync(dir, { recursive: true, force: true });
  }
}
