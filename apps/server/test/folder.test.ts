import { existsSync, mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Running } from '../src/app.ts';
import { folderNumber } from '../src/jobs/one-folder.ts';
import { bareServer, eventually, privateDatabase } from './installation.ts';

/** Cases and kits are files: every server of an installation must find those of the others. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
let dir = '';
const running: Running[] = [];
const start = async (folder: string) => {
  const r = await bareServer(database.url, join(dir, folder));
  running.push(r);
  return r;
};
beforeAll(async () => {
  database = await privateDatabase();
  dir = mkdtempSync(join(tmpdir(), 'folder-'));
});
afterAll(async () => {
  for (const r of running) await r.close().catch(() => undefined);
  await database.drop();
  rmSync(dir, { recursive: true, force: true });
});

describe('the folder of an installation', () => {
  it('has one number, whoever asks first, and however many at once', async () => {
    const numbers = await Promise.all(Array.from({ length: 20 }, () => folderNumber(join(dir, 'many'))));
    expect(new Set(numbers).size).toBe(1);
    expect(numbers[0]).toBeGreaterThan(0);
    expect(await folderNumber(join(dir, 'other'))).not.toBe(numbers[0]);
  });

  it('is the same at every server: one over another folder does not start beside it, and says why', async () => {
    const first = await start('one');
    await start('one');
    await expect(start('another')).rejects.toThrow(/PRAESIDOR_DATA, .*another, is another folder.*Mount one folder/);
    for (const r of running.splice(0)) await r.close();
    // Nobody else lives: the folder may have been replaced.
    const again = await start('another');
    expect((await fetch(`${again.url}/api/ready`)).status).toBe(200);
    expect(first.url).not.toBe(again.url);
  });

  it('keeps a kit with keys for an hour, and not until somebody makes the next', async () => {
    const kits = join(dir, 'another', 'kits');
    mkdirSync(kits, { recursive: true });
    const [old, young] = [join(kits, 'old.tar.gz'), join(kits, 'young.tar.gz')];
    for (const [file, minutes] of [
      [old, 61],
      [young, 59],
    ] as const) {
      writeFileSync(file, 'keys');
      const then = Date.now() / 1000 - minutes * 60;
      utimesSync(file, then, then);
    }
    await start('another');
    await eventually(async () => !existsSync(old), 'the old kit to be gone');
    expect(existsSync(young)).toBe(true);
  });
});
