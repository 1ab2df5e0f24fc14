import { describe, expect, it } from 'vitest';
import { lacksOf, needsOf, SystemContents, systemNeeds } from './system.ts';

const whole = SystemContents.parse({
  packages: systemNeeds
    .filter((n) => n.name !== 'kubelet')
    .map((n) => ({ name: n.packages[0], version: n.atLeast ? `${n.atLeast}.9-1+deb12u1` : '1:3.0-2' })),
  added: [{ path: '/usr/bin/kubelet', sha256: 'a'.repeat(64) }],
});
const without = (name: string) => ({ ...whole, packages: whole.packages.filter((p) => p.name !== name) });

describe('what the system of a release must contain', () => {
  it('lacks nothing when all of it is there, from packages or as files', () => {
    expect(lacksOf(whole, needsOf(undefined))).toEqual([]);
  });
  it('is named with what it is for and where it comes from', () => {
    expect(lacksOf({ ...whole, added: [] }, needsOf(undefined))).toEqual([
      "no kubelet (from a file of the engineer's own), for the node itself",
    ]);
    expect(lacksOf(without('dosfstools'), needsOf(undefined))).toEqual([
      'no FAT tools (from Debian), for the partition that firmware reads',
    ]);
  });
  it('has a version, compared without epoch and revision', () => {
    const at = (version: string) => ({
      ...without('cloud-init'),
      packages: [...without('cloud-init').packages, { name: 'cloud-init', version }],
    });
    expect(lacksOf(at('22.4.2-1+deb12u2'), needsOf(undefined))).toEqual([]);
    expect(lacksOf(at('20.4.1-2+deb11u1'), needsOf(undefined))).toEqual([
      'cloud-init 20.4.1-2+deb11u1, where 22.4 or later is asked',
    ]);
    expect(lacksOf(at('1:24.1-1'), needsOf(undefined))).toEqual([]);
  });
  it('is what the release says more: another version, another package', () => {
    const release = {
      system: [
        { name: 'kubelet', atLeast: '1.34' },
        { name: 'nvme-cli', from: 'Debian' },
        { name: 'systemd', atLeast: '257' },
      ],
    };
    expect(lacksOf(whole, needsOf(release))).toEqual([
      'systemd 252.9-1+deb12u1, where 257 or later is asked',
      'no nvme-cli (from Debian), for the release asks for it',
    ]);
  });
});
