import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Network } from '@praesidor/core/model';
import type { OtherInstallations } from '@praesidor/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { main } from '../../cli/src/main.ts';
import { type Client, Installation } from './installation.ts';

/** Bundles from the command line: made at one installation, carried as a file, taken in at another. */
const home = new Installation();
const room = new Installation();
let h: Client;
let r: Client;
const dir = mkdtempSync(join(tmpdir(), 'carried-'));
const variables = ['SERVER', 'LOGIN', 'PASSWORD'] as const;
beforeAll(async () => {
  await home.start();
  await room.start({ bare: true, beside: home });
  [h, r] = [await home.as('warden'), await room.as('warden')];
  const key = async (c: Client) => (await c.good<OtherInstallations>('GET', '/api/installations')).own.key;
  await h.good('POST', '/api/trust/installations', { name: 'lantern-rock', key: await key(r) });
  await r.good('POST', '/api/trust/installations', { name: 'breakwater-hall', key: await key(h) });
  await h.good('PUT', '/api/installations/lantern-rock/sites', { sites: ['lr'] });
});
afterAll(async () => {
  for (const name of variables) delete process.env[`PRAESIDOR_${name}`];
  rmSync(dir, { recursive: true, force: true });
  await room.stop();
  await home.stop();
});
async function bundle(at: Installation, ...args: string[]): Promise<{ code: number; out: string; err: string }> {
  const of = { SERVER: at.config.publicUrl, LOGIN: 'warden', PASSWORD: at.password };
  for (const name of variables) process.env[`PRAESIDOR_${name}`] = of[name];
  const said = { out: '', err: '' };
  const code = await main(
    ['bundle', ...args],
    (t) => void (said.out += t),
    (t) => void (said.err += t),
  );
  return { code, ...said };
}
const clusters = async (c: Client) => (await c.estate()).charters.map((x) => x.name);
const mtu = async (c: Client) => (await c.good<{ doc: Network }>('GET', '/api/documents/Network/lr-machine')).doc.mtu;
const set = (c: Client, value: number) =>
  c.good('POST', '/api/edits', {
    why: 'set',
    edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value }],
  });
/** Brought to the room: its number there. */
const brought = async (file: string) => (JSON.parse((await bundle(room, 'bring', file, '--json')).out) as { id: number }).id;

describe('a bundle from the command line', () => {
  const first = join(dir, 'first.tar.gz');
  it('is made into a file that only its owner reads, and never over one that is there', async () => {
    expect((await bundle(home, 'make', 'lantern-rock')).err).toContain('--out');
    const { code, out } = await bundle(home, 'make', 'lantern-rock', '--out', first);
    expect([code, out]).toEqual([0, expect.stringMatching(/^bundle 1 for lantern-rock: .*first\.tar\.gz, \d+ kB\n$/)]);
    expect(statSync(first).mode & 0o777).toBe(0o600);
    expect(await bundle(home, 'make', 'lantern-rock', '--out', first)).toMatchObject({
      code: 2,
      err: expect.stringContaining('is there already'),
    });
    expect(await bundle(home, 'make', 'nobody', '--out', join(dir, 'x'))).toMatchObject({ code: 1 });
    expect((await bundle(home, 'list')).out).toMatch(/lantern-rock: lr\n {2}\d+: bundle 1 for it, made/);
  });
  it('is brought, shown, and changes nothing until it is taken in', async () => {
    const { code, out } = await bundle(room, 'bring', first);
    expect(code).toBe(0);
    expect(out).toContain('  added Charter plover\n');
    expect(await clusters(r)).toEqual([]);
    const id = /praesidor bundle take-in (\d+)/.exec(out)?.[1] ?? '';
    expect((await bundle(room, 'look', id)).out).toContain('  added Site lr\n');
    const taken = await bundle(room, 'take-in', id);
    expect([taken.code, taken.out]).toEqual([0, expect.stringMatching(/^taken in: \d+ documents, /)]);
    expect(await clusters(r)).toEqual(['plover']);
  });
  it('that differs from what was set here meanwhile is taken in when it is said what stays', async () => {
    await set(h, 9000);
    await set(r, 1400);
    const second = join(dir, 'second.tar.gz');
    await bundle(home, 'make', 'lantern-rock', '--out', second);
    const id = String(await brought(second));
    expect((await bundle(room, 'look', id)).out).toContain('set otherwise at both, mtu: here 1400, there 9000');
    const undecided = await bundle(room, 'take-in', id);
    expect([undecided.code, undecided.err]).toEqual([1, expect.stringContaining('  Network lr-machine mtu')]);
    expect((await bundle(room, 'take-in', id, '--keep', 'both')).code).toBe(2);
    expect(await mtu(r)).toBe(1400);
    expect((await bundle(room, 'take-in', id, '--keep', 'there')).code).toBe(0);
    expect(await mtu(r)).toBe(9000);
  });
  it('that was changed on its way, or is none, is refused with the reason', async () => {
    const bytes = readFileSync(first);
    bytes[bytes.length >> 1] = (bytes[bytes.length >> 1] as number) ^ 1;
    const hurt = join(dir, 'hurt.tar.gz');
    writeFileSync(hurt, bytes);
    const { code, err } = await bundle(room, 'bring', hurt);
    expect([code, err.length > 20]).toEqual([1, true]);
    expect((await bundle(room, 'bring', join(dir, 'nowhere'))).code).toBe(2);
    expect((await bundle(room, 'look', 'x')).code).toBe(2);
    expect((await bundle(room, 'take-in', '4711')).code).toBe(1);
  });
});
