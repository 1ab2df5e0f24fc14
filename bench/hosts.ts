import { judgeOf, pack, type Bin, type Piece } from '@praesidor/core/hosts';
import { emptyEstate, type Host, kinds, type Network } from '@praesidor/core/model';
import { row, timed } from './measure.ts';

/** A machine of a hall with ten thousand of them: some too small, some without a second disk, some with old firmware. */
const machine = (i: number): Host =>
  kinds.Host.parse({
    kind: 'Host',
    name: `h${i}`,
    site: 'bw',
    facts: {
      at: '2026-11-20T09:00:00Z',
      source: 'bmc',
      maker: 'Harrow Works',
      model: `HW-${220 + (i % 5)}`,
      serial: `S${i}`,
      arch: 'x86-64',
      cores: [4, 16, 32, 64][i % 4],
      memoryGiB: [16, 64, 128, 256][(i >> 2) % 4],
      disks: Array.from({ length: 1 + (i % 4) }, (_, k) => ({
        bay: `bay ${k + 1}`,
        sizeGB: 480 * (k + 1),
        media: 'nvme',
        lifeLeft: 100 - (i % 90),
        health: 'OK',
      })),
      nics: [0, 1].map((k) => ({
        name: `eno${k + 1}`,
        mac: `52:8a:00:${[i >> 8, i & 255, k].map((n) => n.toString(16).padStart(2, '0')).join(':')}`,
        speedGbit: 25,
        link: true,
        vlans: [400, 402],
        neighbour: { name: 'sw1', port: `${i}` },
      })),
      firmware: { bmc: '4.10', system: i % 7 ? '2.21' : '2.9' },
      bootMode: 'UEFI',
      power: 'On',
      health: 'OK',
    },
  }) as Host;

function fitness() {
  const estate = emptyEstate('2026-11-23T09:00:00Z');
  estate.networks = [
    kinds.Network.parse({
      kind: 'Network',
      name: 'bw-machine',
      site: 'bw',
      purpose: 'machine',
      vlan: 400,
      prefix: '10.40.8.0/24',
    }) as Network,
  ];
  estate.baselines = [kinds.Baseline.parse({ kind: 'Baseline', name: 'b', model: 'HW-220', system: '2.19' })];
  estate.hosts = Array.from({ length: 10_000 }, (_, i) => machine(i));
  let fits = 0;
  const ms = timed(() => {
    const judge = judgeOf(estate);
    fits = 0;
    for (const h of estate.hosts) for (const f of judge(h)) if (f.fits) fits++;
  });
  row('fitness of 10,000 hosts × 5 profiles', `${ms.toFixed(0)} ms, ${fits} of 50,000 fit`, '≤ 200 ms', ms <= 200);
}

function packing() {
  const bins: Bin[] = Array.from({ length: 100 }, (_, i) => ({
    name: `hv-${String(i).padStart(3, '0')}`,
    zone: 'ABCDE'[i % 5] as string,
    cores: 64,
    overcommit: 4,
    memoryGiB: [504, 760][i % 2] as number,
    pools: [
      { name: 'fast', media: 'nvme', sizeGB: 12_000 },
      { name: 'wide', media: 'hdd', sizeGB: 40_000 },
    ],
    networks: ['bw-machine'],
  }));
  const pieces: Piece[] = Array.from({ length: 2000 }, (_, i) => ({
    name: `g${i}`,
    vcpu: [2, 4, 8, 16][i % 4] as number,
    memoryGiB: [8, 16, 32, 64][(i >> 1) % 4] as number,
    disks: [
      { sizeGB: 60, media: 'nvme' },
      { sizeGB: 200, ...(i % 3 ? {} : { media: 'hdd' }) },
    ],
    networks: ['bw-machine'],
    // 400 groups of five: control planes, quorums, replicas.
    group: `q${i % 400}`,
  }));
  for (const strategy of ['spread', 'dense'] as const) {
    let p = pack(bins, pieces, { strategy, tolerate: 1 });
    const ms = timed(() => {
      p = pack(bins, pieces, { strategy, tolerate: 1 });
    }, 3);
    const stranded = p.losses.reduce((n, l) => n + l.stranded.length, 0);
    row(
      `packing 2,000 guests on 100 hypervisors, ${strategy}, one failure tolerated`,
      `${ms.toFixed(0)} ms; ${p.unplaced.length} without a place, ${stranded} stranded by any one failure; ${p.bound.text}`,
      '≤ 2 s, all placed, nobody stranded, never below the bound',
      ms <= 2000 && !p.unplaced.length && !stranded && p.bound.used >= p.bound.atLeast,
    );
  }
}

/** Hosts: fitness, packing, the sweep, the table. */
export async function hosts() {
  fitness();
  packing();
}
