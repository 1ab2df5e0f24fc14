import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { layOut } from '../apps/server/test/kit-of-plover.ts';
import { eventually } from '../apps/server/test/installation.ts';
import { Machine, openRoom } from './machine.ts';

/**
 * The scripts that lay out a node's disks and put its network in force, with the programs and the devices of the system: three drives, two
 * adapters.
 */
const parts = process.env.PRAESIDOR_REAL ?? '';
const dir = mkdtempSync(join(tmpdir(), 'disks-'));
let machine: Machine | undefined;
afterAll(() => {
  machine?.powerOff();
  rmSync(dir, { recursive: true, force: true });
});

/** Kits that differ in what carries the machine network, by the folder that they lie in. */
const uplinks = {
  tagged: { adapters: ['eno1'], tagged: true },
  standby: { adapters: ['eno2', 'eno1'], bond: 'active-backup', tagged: false },
  lacp: { adapters: ['eno1', 'eno2'], bond: '802.3ad', tagged: true },
} as const;

it('a network is put in force with tags and bonds; disks are found by serial, laid out once, kept, and erased only when that is said', async () => {
  openRoom(0);
  const carried: Record<string, string> = {};
  for (const [name, { adapters, ...uplink }] of Object.entries(uplinks)) {
    const { kit } = await layOut(join(dir, name), { uplink: { ...uplink, adapters: [...adapters] } });
    for (const f of kit) {
      const path = /^hosts\/lr-01\/root\/(etc\/systemd\/network\/.*|usr\/local\/sbin\/praesidor-prepare)$/.exec(f.path)?.[1];
      if (path) carried[`${name}/${path}`] = f.content;
    }
  }
  const { kit } = await layOut(join(dir, 'kit'), { drives: 3 });
  const root = Object.fromEntries(
    kit.flatMap((f) => {
      const path = /^hosts\/lr-01\/(root\/(?:etc\/praesidor|etc\/sysctl\.d|etc\/systemd\/system|usr\/local\/sbin)\/.*)$/.exec(
        f.path,
      )?.[1];
      return path ? [[path, f.content]] : [];
    }),
  );
  machine = new Machine(join(dir, 'lr-01'), {
    mac: '52:8a:1c:40:01:01',
    also: ['52:8a:1c:40:01:02'],
    memoryMiB: 2048,
    drives: [1, 2, 3].map((n) => ({ serial: `HW1-D${n}`, sizeGB: 16 })),
    checks: { 'run.sh': readFileSync(join(import.meta.dirname, 'disks.sh'), 'utf8'), ...root, ...carried },
    direct: {
      kernel: join(parts, 'system/kernel'),
      initrd: join(parts, 'system/initrd'),
      line: 'console=ttyS0 cloud-init=disabled quiet',
    },
  });
  machine.powerOn();
  const m = machine;
  const said = await eventually(async () => /CHECK END/.test(m.said()) && m.said(), 'all checks to end', 800_000).catch(
    (e: Error) => {
      throw new Error(`${e.message}\n${m.said().slice(-4000)}`);
    },
  );
  const checks = [...said.matchAll(/CHECK (PASS|FAIL) (.*)/g)].map((x) => `${x[1]} ${x[2]}`);
  process.stdout.write(`${checks.join('\n')}\n`);
  expect(checks.filter((x) => x.startsWith('FAIL'))).toEqual([]);
  expect(checks).toHaveLength(21);
});
