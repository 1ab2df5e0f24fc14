import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { eventually } from '../apps/server/test/installation.ts';
import { writeInitialFiles } from '../scripts/lib/initial-files.mjs';
import type { Machine } from './machine.ts';

const kernels = join(process.env.PRAESIDOR_REAL ?? '', 'kernel/boot');

/** Layers of a system that is one program: it says what the kernel was told. Kernel and stub are Debian's. */
export function smallSystem(dir: string) {
  const init = [
    '#!/busybox sh',
    '/busybox mkdir -p /proc /dev',
    '/busybox mount -t proc proc /proc',
    '/busybox mount -t devtmpfs dev /dev',
    'echo "TOLD $(/busybox cat /proc/cmdline) END" > /dev/ttyS0',
    '/busybox poweroff -f',
  ].join('\n');
  const initrd = join(dir, 'initrd');
  writeInitialFiles(initrd, [
    { path: 'busybox', from: '/bin/busybox', mode: 0o755 },
    { path: 'init', body: `${init}\n`, mode: 0o755 },
  ]);
  const kernel = join(kernels, readdirSync(kernels).find((f) => f.startsWith('vmlinuz-')) as string);
  const layer = (title: string, bytes: Buffer) => ({ key: title, declaredBytes: bytes.length, title, bytes });
  return [
    layer('kernel', readFileSync(kernel)),
    layer('initrd', readFileSync(initrd)),
    layer('stub', readFileSync('/usr/lib/systemd/boot/efi/linuxx64.efi.stub')),
  ];
}

/** What the kernel of a machine was told, as the one program of its system says. */
export async function told(m: Machine): Promise<string> {
  const began = Date.now();
  m.powerOn();
  const line = await eventually(
    async () =>
      /TOLD (.*) END/.exec(m.said())?.[1] ||
      (/failed to load|Kernel panic/.test(m.said()) && Promise.reject(new Error(m.said().slice(-2000)))),
    'the kernel says what it was told',
    300_000,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${m.said().slice(-3000)}`);
  });
  process.stdout.write(`firmware to first program: ${((Date.now() - began) / 1000).toFixed(0)} s\n`);
  return line;
}
