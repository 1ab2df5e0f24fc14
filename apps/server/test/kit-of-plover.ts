import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { resolve } from '@praesidor/core/charter';
import { bootKit } from '@praesidor/core/files';
import { applyEdits, type Charter, type Estate, type Host } from '@praesidor/core/model';
import { goodEstate, withAddon } from '../../../packages/core/test/estate.ts';
import { issue } from '../src/areas/clusters/pki.ts';

/** The boot kit of a small estate, with certificates as they are issued, laid out as it lies on each machine: `dir/<host>/…`. */
/** The same estate in a room that has IPv6 alone. */
function overIpv6(e: Estate): Estate {
  const set = (kind: 'Network' | 'Charter', key: string, path: string, value: unknown) => ({
    op: 'set' as const,
    kind,
    key,
    path: [path],
    value,
  });
  return applyEdits({ ...e, reservations: [] }, [
    set('Network', 'lr-machine', 'prefix', 'fd00:62:8::/64'),
    set('Network', 'lr-machine', 'gateway', 'fd00:62:8::1'),
    set('Network', 'lr-machine', 'dhcp', []),
    set('Network', 'lr-machine', 'pools', [
      { name: 'virtual', range: 'fd00:62:8::20-fd00:62:8::31', use: 'virtual' },
      { name: 'nodes', range: 'fd00:62:8::32-fd00:62:8::59', use: 'host' },
    ]),
    set('Charter', 'plover', 'pods', { range: 'fd00:128::/48', perNode: 64, most: 110 }),
    set('Charter', 'plover', 'services', { range: 'fd00:98::/112' }),
    set('Charter', 'plover', 'servicePool', undefined),
  ]);
}

/** @param v of IPv4 or of IPv6 @param drives how many each host has @param routed with an inbound router @param uplink of every host @param without
 * a host that is gone @param server whose hosts start by PXE from there @param secrets those of a kit before, of the same cluster */
export async function layOut(
  dir: string,
  {
    drives = 2,
    routed = false,
    v = 4,
    uplink,
    without,
    secrets = new Map<string, string>(),
    server,
  }: {
    server?: string;

    without?: string;
    secrets?: Map<string, string>;
    drives?: number;
    routed?: boolean;
    v?: 4 | 6;
    uplink?: NonNullable<Host['uplink']>;
  } = {},
) {
  const room = v === 6 ? overIpv6(goodEstate()) : goodEstate();
  const good = routed ? withAddon(room, 'inbound-router') : room;
  const estate = {
    ...good,
    hosts: good.hosts.map((h, i) => {
      const more = Array.from({ length: drives - 2 }, (_, n) => ({
        bay: `bay ${n + 3}`,
        sizeGB: 960,
        media: 'nvme' as const,
        serial: `HW${i + 1}-D${n + 3}`,
      }));
      if (!h.facts) return h;
      // A second adapter for who says what carries the network.
      const nics = [1, 2].map((n) => ({ name: `eno${n}`, mac: `52:8a:1c:40:0${i + 1}:0${n}`, speedGbit: 25, link: true }));
      return {
        ...h,
        ...(uplink ? { uplink } : {}),
        ...(server && h.bmc ? { bmc: { ...h.bmc, boot: 'pxe' as const } } : {}),
        facts: { ...h.facts, ...(uplink ? { nics } : {}), disks: [...h.facts.disks, ...more] },
      };
    }),
  };
  const gone = estate.hosts.find((h) => h.name === without);
  if (gone) {
    gone.state = 'retired';
    const charter = estate.charters[0] as Charter;
    charter.workers = { ...charter.workers, count: charter.workers.count - 1 };
  }
  const plan = resolve(estate.charters[0] as Charter, estate);
  for (const c of plan.certificates) {
    if (secrets.has(`${c.name}.crt`)) continue;
    const pair = await issue(c, secrets);
    secrets.set(`${c.name}.crt`, pair.cert).set(`${c.name}.key`, pair.key);
  }
  const kit = bootKit({
    plan,
    estate,
    secret: (name) => secrets.get(name) ?? 'not asked for here',
    installation: 'build 1',
    ...(server ? { server } : {}),
    bootUrl: (h) => `http://praesidor.example/boot/${h}`,
    reportUrl: (h) => `http://praesidor.example/report/${h}`,
  });
  /** A path of a node, where the kit was laid out. */
  const on = (host: string, path: string) => join(dir, host, path);
  for (const f of kit) {
    const path = /^hosts\/([^/]+)\/root(\/.*)$/.exec(f.path);
    if (!path) continue;
    const file = on(path[1] as string, path[2] as string);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, f.content, { mode: 0o600 });
  }
  const members = plan.nodes.filter((n) => n.role === 'control-plane');
  type Member = (typeof members)[number];
  return { plan, kit, on, secrets, members: members as [Member, Member, Member] };
}
