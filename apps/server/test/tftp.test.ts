import { spawnSync } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { requestOf, serveTftp, type Tftp } from '../src/areas/builds/tftp.ts';

const dir = mkdtempSync(join(tmpdir(), 'tftp-'));
const bytes = (n: number) => Buffer.from(Array.from({ length: n }, (_, i) => (i * 7 + (i >> 8)) & 255));
const files = { 'ipxe.efi': join(dir, 'program'), even: join(dir, 'even'), empty: join(dir, 'empty'), away: join(dir, 'away') };
let tftp: Tftp;
const said: string[] = [];
beforeAll(async () => {
  writeFileSync(files['ipxe.efi'], bytes(300_001));
  writeFileSync(files.even, bytes(1024));
  writeFileSync(files.empty, '');
  tftp = await serveTftp({ host: '127.0.0.1', port: 0 }, files, (m) => said.push(m), 60);
});
afterAll(() => {
  tftp.close();
  rmSync(dir, { recursive: true, force: true });
});
const sum = (b: Buffer) => createHash('sha256').update(b).digest('hex');
const curl = async (name: string, ...more: string[]) => {
  const out = join(dir, 'out');
  rmSync(out, { force: true });
  const r = await promisify(execFile)('curl', [
    ...['-sS', '-m', '20', ...more, '-o', out, `tftp://127.0.0.1:${tftp.port}/${name}`],
  ]).catch((e: { stderr: string; code: number }) => e);
  return { said: r.stderr, code: 'code' in r ? r.code : 0, bytes: existsSync(out) ? readFileSync(out) : Buffer.alloc(0) };
};

describe.runIf(spawnSync('curl', ['--version'], { encoding: 'utf8' }).stdout.includes('tftp'))('TFTP, as curl asks', () => {
  it.each([[[]], [['--tftp-blksize', '1400']], [['--tftp-blksize', '8']], [['--tftp-no-options']]])(
    'gives the whole file: %j',
    async (more) => {
      const r = await curl('ipxe.efi', ...more);
      expect([r.said, sum(r.bytes)]).toEqual(['', sum(bytes(300_001))]);
    },
  );
  it.each([
    ['even', 1024],
    ['empty', 0],
  ])('ends a file whose size comes out even: %s', async (name, n) => {
    // An option that says “no bytes” is more than curl takes.
    const r = await curl(name, '--tftp-no-options');
    expect([r.said, sum(r.bytes)]).toEqual(['', sum(bytes(n))]);
  });
  it('gives several at once', async () => {
    const all = await Promise.all(
      Array.from({ length: 6 }, (_, n) =>
        promisify(execFile)('curl', ['-sS', '-m', '20', '-o', join(dir, `o${n}`), `tftp://127.0.0.1:${tftp.port}/ipxe.efi`]),
      ),
    );
    expect(all.map((r) => r.stderr)).toEqual(Array(6).fill(''));
    for (let n = 0; n < 6; n++) expect(sum(readFileSync(join(dir, `o${n}`)))).toBe(sum(bytes(300_001)));
  });
  it.each(['other', '../program', 'away', 'constructor'])('has no %s', async (name) => {
    // 68: the server has no such file.
    expect((await curl(name, '--path-as-is')).code).toBe(68);
  });
});

describe('TFTP, as others ask', () => {
  const request = (...words: string[]) => Buffer.concat([Buffer.from([0, 1]), Buffer.from(words.map((w) => `${w}\0`).join(''))]);
  it('reads a request as its standard has it', () => {
    expect(requestOf(request('ipxe.efi', 'octet', 'BLKSIZE', '1468', 'tsize', '0'))).toEqual({
      name: 'ipxe.efi',
      options: new Map([
        ['blksize', '1468'],
        ['tsize', '0'],
      ]),
    });
    expect(requestOf(request('/ipxe.efi', 'OCTET'))?.name).toBe('ipxe.efi');
  });
  it.each([
    ['nothing', Buffer.alloc(0)],
    ['a write', Buffer.concat([Buffer.from([0, 2]), Buffer.from('a\0octet\0')])],
    ['text', request('a', 'netascii')],
    ['no end', Buffer.concat([Buffer.from([0, 1]), Buffer.from('a\0octet')])],
    ['an option without a value', request('a', 'octet', 'tsize')],
    ['a name alone', request('a')],
    ['too much', request('a'.repeat(600), 'octet')],
  ])('is silent to %s', (_, packet) => {
    expect(requestOf(packet)).toBeUndefined();
  });
  it('sends a block again until it is acknowledged, and gives up', async () => {
    const socket = createSocket('udp4');
    said.length = 0;
    const heard: number[] = [];
    socket.on('message', (m) => heard.push(m.readUInt16BE(2)));
    socket.send(request('even', 'octet'), tftp.port, '127.0.0.1');
    await expect.poll(() => said.includes('a transfer over TFTP broke off'), { timeout: 5000 }).toBe(true);
    expect(heard).toEqual([1, 1, 1, 1, 1, 1]);
    socket.close();
  });
  it('hears nobody else than who asked', async () => {
    const [asker, other] = [createSocket('udp4'), createSocket('udp4')];
    const heard: number[] = [];
    asker.on('message', (m, from) => {
      heard.push(m.readUInt16BE(2));
      // An acknowledgement from another port moves nothing on.
      if (heard.length === 1) other.send(Buffer.from([0, 4, 0, 1]), from.port, from.address);
      else if (heard.length === 2) asker.send(Buffer.from([0, 5, 0, 0, 0]), from.port, from.address);
    });
    asker.send(request('even', 'octet'), tftp.port, '127.0.0.1');
    await expect.poll(() => heard.length, { timeout: 5000 }).toBe(2);
    expect(heard).toEqual([1, 1]);
    asker.close();
    other.close();
  });
});
