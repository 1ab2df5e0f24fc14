import { describe, expect, it } from 'vitest';
import { type Disk, fileSystemAt, layOut } from './disks.ts';

const files = (table: string) => ({
  '/etc/praesidor/disks': `system s1 - ${table} 11 bay 1\ncontainers s2 - ${table}2 22 bay 2\n`,
  '/etc/systemd/system/var-lib-praesidor.mount': '[Mount]\nWhat=/dev/disk/by-uuid/11\nWhere=/var/lib/praesidor\n',
  '/etc/systemd/system/var-lib-containerd.mount': '[Mount]\nWhat=/dev/disk/by-uuid/22\nWhere=/var/lib/containerd\n',
  '/etc/systemd/system/var-lib-etcd.mount': '[Mount]\nWhat=/var/lib/praesidor/etcd\nWhere=/var/lib/etcd\nOptions=bind\n',
});
const may = { layOut: true, erase: false };

describe('disks of a machine', () => {
  it('are found by their serials, laid out once, and kept', () => {
    const disks = new Map<string, Disk>();
    expect(layOut(disks, ['S-1', 'S-2'], files('a'), may)).toEqual(['bay 1 (system): S-1', 'bay 2 (containers): S-2']);
    disks.get('S-2')?.systems[0]?.images.push('one');
    layOut(disks, ['S-1', 'S-2'], files('a'), may);
    expect(disks.get('S-2')?.systems[0]?.images).toEqual(['one']);
    expect(() => layOut(disks, ['S-1', 'S-9'], files('a'), may)).toThrow(
      'no disk has the serial s2 or the WWN - of bay 2 (containers)',
    );
  });
  it('that hold anything else are erased when that is said, and laid out over the network alone', () => {
    const disks = new Map<string, Disk>();
    layOut(disks, ['S-1', 'S-2'], files('a'), may);
    expect(() => layOut(disks, ['S-1', 'S-2'], files('b'), may)).toThrow('bay 1 (system) is not empty, it holds gpt, system');
    expect(() => layOut(disks, ['S-1', 'S-2'], files('b'), { layOut: false, erase: true })).toThrow(
      'another table of partitions',
    );
    expect(layOut(disks, ['S-1', 'S-2'], files('b'), { layOut: true, erase: true })[0]).toBe(
      'bay 1 (system) is erased: gpt, system',
    );
  });
  it('keep what lies below a mount, through what is bound; the rest is memory', () => {
    const disks = new Map<string, Disk>();
    layOut(disks, ['S-1', 'S-2'], files('a'), may);
    const at = (path: string) => fileSystemAt(disks, files('a'), path)?.uuid;
    expect([at('/var/lib/containerd/io'), at('/var/lib/etcd/member'), at('/var/lib/praesidor/joined')]).toEqual([
      '22',
      '11',
      '11',
    ]);
    expect([at('/var/lib/kubelet'), at('/etc/hosts')]).toEqual([undefined, undefined]);
    const { '/etc/systemd/system/var-lib-containerd.mount': unit, ...others } = files('a');
    // A unit under another name than its path is none (systemd.mount(5)).
    expect(
      fileSystemAt(disks, { ...others, '/etc/systemd/system/containers.mount': unit }, '/var/lib/containerd'),
    ).toBeUndefined();
  });
});
