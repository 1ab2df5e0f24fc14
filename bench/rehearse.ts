import { casesOf, type Room, rehearseAll, type RoomHost, simulate, verdictOf } from '@praesidor/core/rehearse';
import { placeCopies, placePods } from '../packages/core/src/rehearse/place.ts';
import { row, timed } from './measure.ts';

/** A cluster of so many hosts, with as many workloads as volumes of three copies each: every third with a volume of one node. */
export function roomOf(count: number, volumes: number): Room {
  const hosts = Array.from(
    { length: count },
    (_, i): RoomHost => ({
      name: `h-${String(i).padStart(3, '0')}`,
      role: i < 5 ? 'control-plane' : 'worker',
      rack: `R${i % 10}`,
      zone: 'ABCD'[i % 4] as string,
      feed: i % 2 ? 'A' : undefined,
      cores: 64,
      memoryGiB: 512,
      volumesGB: i < 5 ? 0 : 20_000,
      runs: i >= 5,
    }),
  );
  const room: Room = {
    charter: 'large',
    hosts,
    works: [],
    pods: [],
    volumes: [],
    addresses: Array.from({ length: 50 }, (_, i) => ({
      name: `a${i}`,
      address: `10.0.0.${i}`,
      by: 'arp' as const,
      hosts: [5 + (i % (count - 5)), 5 + ((i + 1) % (count - 5))],
      over: 62_000,
    })),
    members: [0, 1, 2, 3, 4],
    majority: 3,
    stores: hosts.flatMap((h, i) => (h.volumesGB ? [i] : [])),
    grace: 50_000,
    election: 2000,
    detach: 360_000,
  };
  for (let v = 0; v < volumes; v++) {
    room.volumes.push({
      name: `v${v}`,
      work: v,
      sizeGB: 20 + (v % 200),
      kind: 'copies',
      copies: [-1, -1, -1],
      apart: v % 2 ? 'host' : 'zone',
      oneNode: v % 3 === 0,
      attach: 10_000,
      rebuild: { after: 600_000, msPerGB: 800 },
    });
    const pods = Array.from({ length: v % 3 ? 2 : 1 }, () => room.pods.push({ work: v, host: -1, volumes: [v] }) - 1);
    room.works.push({
      name: `w${v}`,
      namespace: 'default',
      kind: v % 7 ? 'Deployment' : 'StatefulSet',
      apart: 'host',
      always: false,
      cores: 0.5,
      memoryGiB: 2,
      ready: 10_000,
      tolerate: 300_000,
      mayBeAway: 300_000,
      pods,
    });
  }
  placePods(room);
  return room;
}

/** Every loss of a large cluster, and where its volumes lie. */
export async function rehearse() {
  const room = roomOf(100, 2000);
  const placed = timed(() => {
    for (const v of room.volumes) v.copies.fill(-1);
    placeCopies(room);
  }, 5);
  const filled = room.hosts.map(() => 0);
  let shared = 0;
  for (const v of room.volumes) {
    for (const h of v.copies) filled[h] = (filled[h] ?? 0) + v.sizeGB;
    const places = v.copies.map((h) => (v.apart === 'host' ? h : room.hosts[h]?.zone));
    if (new Set(places).size !== 3 || v.copies.includes(-1)) shared++;
  }
  const used = room.stores.map((i) => filled[i] ?? 0);
  const even = used.reduce((a, b) => a + b, 0) / used.length;
  const over = Math.max(...used) / even - 1;
  row('placement of 2,000 volumes with 3 copies', `${placed.toFixed(0)} ms`, '≤ 200 ms', placed <= 200);
  row(
    'fullest host, against all filled alike',
    `${(over * 100).toFixed(1)} % more, ${shared} wrong`,
    '≤ 10 %, none',
    over <= 0.1 && !shared,
  );
  const cases = casesOf(room);
  const first = cases[7];
  if (!first) throw new Error('no cases');
  const one = timed(() => void verdictOf(room, first), 51);
  row('one case, 100 hosts, 2,000 volumes', `${one.toFixed(2)} ms`, '≤ 2 ms', one <= 2);
  const all = timed(() => void rehearseAll(room), 3);
  row(`${cases.length} cases`, `${all.toFixed(0)} ms`, '≤ 1,000 ms', all <= 1000);
  const singles = (r: Room) =>
    timed(
      () =>
        void casesOf(r)
          .filter((c) => c.sort === 'host')
          .map((c) => simulate(r, [{ at: 0, hosts: c.hosts }])),
      5,
    );
  const grown = [50, 100, 200].map((n) => {
    const r = roomOf(n, n * 20);
    placeCopies(r);
    return `${n} hosts ${singles(r).toFixed(0)} ms`;
  });
  row('every single host, with 20 volumes a host', grown.join(', '), 'shown', true);
}
