import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, describe, expect, it } from 'vitest';
import { layOut } from '@praesidor/core/files';
import { httpBoot, sectionsOf, smallStub, unified } from './firmware.ts';

const made = (parts: Record<string, string>) => {
  const list = Object.entries(parts).map(([name, text]) => ({ name, body: Buffer.from(text) }));
  const p = layOut(
    smallStub(),
    list.map(({ name, body }) => ({ name, size: body.length })),
  );
  return Buffer.concat([p.head, ...p.parts.flatMap((x, n) => [list[n]?.body as Buffer, Buffer.alloc(x.padding)])]);
};
let server: Server | undefined;
afterEach(() => server?.close());
async function served(body: Buffer, type: string, path = '/boot.efi', head: boolean | 'without length' = true): Promise<string> {
  const s = createServer((req, res) => {
    if (req.method === 'HEAD' && head === 'without length') return void res.writeHead(200, { 'content-type': type }).end();
    if (req.method === 'HEAD' && !head) return void res.writeHead(405).end();
    res.writeHead(200, { 'content-type': type, 'content-length': body.length }).end(req.method === 'HEAD' ? undefined : body);
  });
  server = s;
  await new Promise<void>((done) => {
    s.listen(0, '127.0.0.1', done);
  });
  return `http://127.0.0.1:${(s.address() as AddressInfo).port}${path}`;
}
const signal = new AbortController().signal;

describe('firmware', () => {
  it('loads a program, in which its stub finds kernel, command line and initial file system', async () => {
    const program = made({ '.cmdline': 'ds=nocloud-net;s=http://x/', '.linux': 'kernel', '.initrd': 'files' });
    const u = unified(await httpBoot(await served(program, 'application/efi'), signal));
    expect([u.cmdline, u.linux.toString(), u.initrd.toString()]).toEqual(['ds=nocloud-net;s=http://x/', 'kernel', 'files']);
  });

  it('refuses a script, whatever it is called, and what cannot be asked for its length', async () => {
    const script = Buffer.from('#!ipxe\nkernel x\n'.padEnd(300));
    await expect(httpBoot(await served(script, 'text/plain', '/boot.ipxe'), signal)).rejects.toThrow('no boot program');
    expect(() => sectionsOf(script)).toThrow('no EFI program');
    for (const head of [false, 'without length'] as const) {
      await expect(httpBoot(await served(smallStub(), 'application/efi', '/boot.efi', head), signal)).rejects.toThrow(
        'NBP file size',
      );
      server?.close();
    }
  });

  it('refuses sections that are cut short or lie over each other', () => {
    const program = made({ '.cmdline': 'x'.repeat(600), '.linux': 'kernel', '.initrd': 'files' });
    expect(() => sectionsOf(program.subarray(0, program.length - 1))).toThrow('.initrd is cut short');
    const over = Buffer.from(program);
    const [, cmdline] = sectionsOf(program);
    // The address of the third section becomes that of the second.
    over.writeUInt32LE(cmdline?.address ?? 0, 88 + 240 + 2 * 40 + 12);
    expect(() => sectionsOf(over)).toThrow('.linux lies where another does');
    expect(() => unified(made({ '.cmdline': 'x', '.linux': 'k' }))).toThrow('no .initrd');
  });
});
