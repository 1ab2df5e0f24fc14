/** What a role asks of a host, as data. A requirement names a fact, a comparison and a figure. */
export type RoleName = 'control-plane' | 'worker' | 'registry';
export interface Requirement {
  fact: 'cores' | 'memoryGiB' | 'systemDiskGB' | 'secondDiskGB' | 'linkGbit' | 'uefi' | 'arch';
  label: string;
  atLeast: number | string;
  unit: string;
}
export interface Profile {
  role: RoleName;
  title: string;
  needs: Requirement[];
}

const need = (fact: Requirement['fact'], label: string, atLeast: number | string, unit = ''): Requirement => ({
  fact,
  label,
  atLeast,
  unit,
});

export const profiles: readonly Profile[] = [
  {
    role: 'control-plane',
    title: 'Control plane',
    needs: [
      need('cores', 'cores', 4),
      need('memoryGiB', 'memory', 16, 'GiB'),
      need('systemDiskGB', 'system disk', 100, 'GB'),
      need('secondDiskGB', 'container disk', 200, 'GB'),
      need('linkGbit', 'link', 10, 'Gbit/s'),
      need('uefi', 'boot mode', 'UEFI'),
    ],
  },
  {
    role: 'worker',
    title: 'Worker',
    needs: [
      need('cores', 'cores', 8),
      need('memoryGiB', 'memory', 32, 'GiB'),
      need('systemDiskGB', 'system disk', 100, 'GB'),
      need('secondDiskGB', 'container disk', 200, 'GB'),
      need('linkGbit', 'link', 10, 'Gbit/s'),
      need('uefi', 'boot mode', 'UEFI'),
    ],
  },
  {
    role: 'registry',
    title: 'Registry',
    needs: [
      need('cores', 'cores', 4),
      need('memoryGiB', 'memory', 8, 'GiB'),
      need('secondDiskGB', 'image disk', 1000, 'GB'),
      need('linkGbit', 'link', 10, 'Gbit/s'),
    ],
  },
];
