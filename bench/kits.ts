import { randomBytes } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { resolve } from '@praesidor/core/charter';
import { bootFiles, type KitContext } from '@praesidor/core/files';
import { emptyEstate, readDocuments, sliceOf } from '@praesidor/core/model';
import { row, timed } from './measure.ts';

/** Boot kits: how large that of a host is, and how long a thousand take. */
export async function kits() {
  const dir = join(import.meta.dirname, '../demo/estate');
  const estate = emptyEstate('2026-11-23T09:00:00Z');
  for (const f of readdirSync(dir).sort())
    for (const { doc } of readDocuments(readFileSync(join(dir, f), 'utf8'), f).docs)
      (estate[sliceOf[doc.kind]] as unknown[]).push(doc);
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
    bootUrl: () => `https://praesidor.bw.kestrelferries.example/boot/${token}`,
    reportUrl: () => `https://praesidor.bw.kestrelferries.example/boot/${token}`,
    boot: { kernel: `sha256:${'1'.repeat(64)}`, initrd: `sha256:${'2'.repeat(64)}` },
  };
  const hosts = plan.nodes.map((n) => n.host);
  let largest = 0;
  const ms = timed(() => {
    for (let k = 0; k < 1000; k++) {
      const files = bootFiles(ctx, hosts[k % hosts.length] as string);
      largest = Math.max(largest, Buffer.byteLength(Object.values(files).join('')));
    }
  }, 3);
  row(
    `kit of a host, of ${hosts.length} of ${charter.name}`,
    `${(largest / 1000).toFixed(0)} kB at the most`,
    '≤ 256 kB',
    largest <= 256_000,
  );
  row('1,000 kits of hosts', `${(ms / 1000).toFixed(2)} s`, '≤ 3 s', ms <= 3000);
}
