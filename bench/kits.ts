import { randomBytes } from 'node:crypto';
import { type PlannedNode, resolve } from '@praesidor/core/charter';
import { bootFiles, type KitContext } from '@praesidor/core/files';
import { demoEstate } from './demo-estate.ts';
import { row, timed } from './measure.ts';

/** Boot kits: how large that of a host is, and how long a thousand take. */
export async function kits() {
  const estate = demoEstate();
  const charter = estate.charters.find((c) => c.name === 'tern');
  if (!charter) throw new Error('the demonstration has no charter tern');
  const plan = resolve(charter, estate);
  // As long as what the keyring keeps: a chain of two certificates, or a key.
  const secrets = new Map<string, string>();
  const secret = (name: string) => {
    const known =
      secrets.get(name) ?? `-----BEGIN CERTIFICATE-----\n${randomBytes(1500).toString('base64')}\n-----END CERTIFICATE-----\n`;
    secrets.set(name, known);
    return known;
  };
  const token = randomBytes(24).toString('base64url');
  const ctx: KitContext = {
    plan,
    estate,
    secret,
    installation: 'build 1',
    bootUrl: () => `https://praesidor.bw.kestrelferries.example/boot/${token}`,
    reportUrl: () => `https://praesidor.bw.kestrelferries.example/boot/${token}`,
  };
  // A thousand hosts of one cluster, all beyond its own nodes workers, each with a name, an address, an adapter and drives of its own.
  const nodes = Array.from({ length: 1000 }, (_, k): PlannedNode => {
    const n = (plan.nodes[k] ?? plan.nodes.find((x) => x.role === 'worker')) as PlannedNode;
    const id = String(k).padStart(4, '0');
    return {
      ...n,
      host: `${n.host}-${id}`,
      name: `${n.host}-${id}.${plan.site?.domain}`,
      address: `10.${200 + (k >> 8)}.${k & 255}.7`,
      mac: `52:8a:1c:00:${id.slice(0, 2)}:${id.slice(2)}`,
      facts: { ...n.facts, disks: n.facts.disks.map((d) => ({ ...d, serial: `${d.serial}-${id}` })) },
    };
  });
  let largest = 0;
  const ms = timed(() => {
    const all: KitContext = { ...ctx, plan: { ...plan, nodes } };
    for (const n of nodes) largest = Math.max(largest, Buffer.byteLength(Object.values(bootFiles(all, n.host)).join('')));
  }, 3);
  row(`kit of a host of ${charter.name}`, `${(largest / 1000).toFixed(0)} kB at the most`, '≤ 256 kB', largest <= 256_000);
  row('1,000 kits of hosts', `${(ms / 1000).toFixed(2)} s`, '≤ 3 s', ms <= 3000);
}
