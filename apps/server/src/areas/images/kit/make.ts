import { createHash, randomBytes, randomUUID, X509Certificate } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { mkdir, open, readdir, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { pipeline } from 'node:stream/promises';
import { createGzip } from 'node:zlib';
import { pack } from 'tar-stream';
import { hashPassword } from '@praesidor/registry';
import { record } from '../../../audit.ts';
import { bundled } from '../../../bundle.ts';
import type { Context } from '../../../context.ts';
import { needDoc, writeDoc } from '../../../estate/documents.ts';
import { loadEstate } from '../../../estate/load.ts';
import { Refusal } from '../../../refusal.ts';
import { credential, keep } from '../../keyring/service.ts';
import { registryPlace } from '../registries.ts';
import { type Authority, authorityOf, makeAuthority, noteIssued, serverCertificate } from '../authority.ts';
import { judgeCertificate } from '../certificates.ts';
import { installText, type KitFacts, proveText, readmeText, removeText, unitText } from './texts.ts';

export interface KitAsked {
  /** A certificate made elsewhere: chain and key in PEM, and the anchors that clients are to trust. */
  given?: { cert: string; key: string; ca: string } | undefined;
  days: number;
}
export interface KitMade {
  id: string;
  bytes: number;
  sha256: string;
  until: string;
  /** Shown once, and kept nowhere but in the keyring (the one that writes). */
  credentials: { user: string; password: string; writes: boolean }[];
  /** The user whose password stays what the keyring holds. */
  keeps: string | undefined;
  act: number;
}

/** Whatever a kit is put into holds private keys: it is there until it was taken, and for an hour at most. */
/** How long a kit waits to be taken, in milliseconds. */
const kitHour = 3_600_000;
const folder = (ctx: Context) => join(ctx.config.dataDir, 'kits');
export const kitFile = (ctx: Context, id: string) => join(folder(ctx), `${id}.tar.gz`);

/** Makes the kit that installs a registry: server, Node.js, unit, certificate, first users. Its trust is declared with it. */
export async function makeKit(ctx: Context, name: string, asked: KitAsked, who: string): Promise<KitMade> {
  const { estate } = await loadEstate(ctx.db);
  const registry = estate.registries.find((r) => r.name === name);
  if (!registry) throw new Refusal('not-found', `There is no registry ${name}.`);
  if (registry.role === 'source')
    throw new Refusal('invalid', `${name} is a source, which stands elsewhere; a kit is for registries of ours.`);
  const [host = '', port = '443'] = registry.endpoint.split(':');
  const facts: KitFacts = { registry: name, endpoint: registry.endpoint, host, port: Number(port) };
  const addresses = estate.reservations.filter((r) => r.name === host).map((r) => r.address);
  const site = estate.sites.find((s) => s.name === registry.site);
  // One that is in use keeps its password: what the keyring and its clusters hold goes on working.
  const kept = registry.credential
    ? await credential(ctx.config, ctx.db.manager, registry.credential, registryPlace(registry)).catch((e: unknown) => {
        if (e instanceof Refusal) return undefined;
        throw e;
      })
    : undefined;
  const fresh = () => randomBytes(18).toString('base64url');
  const keeper = { user: kept?.user ?? 'keeper', password: kept?.secret ?? fresh(), writes: true };
  const puller = { user: keeper.user === 'puller' ? 'reader' : 'puller', password: fresh(), writes: false };

  const { tls, act } = await ctx.db.transaction(async (m) => {
    let pair: { cert: string; key: string; ca: string };
    if (asked.given) {
      const wrong = judgeCertificate(asked.given, host, new Date()).filter((j) => j.severity === 'stop');
      if (wrong[0])
        throw new Refusal('invalid', `The certificate cannot be used: ${wrong[0].text}.`, {
          places: wrong.map((w) => ({ message: w.text })),
        });
      pair = asked.given;
    } else {
      const authority: Authority =
        (await authorityOf(ctx.config, m, name)) ?? (await makeAuthority(ctx.config, m, name, site?.title ?? name));
      pair = { ...(await serverCertificate(authority, host, addresses, asked.days)), ca: authority.cert };
    }
    const { doc, version } = await needDoc(m, 'Registry', name);
    const key = doc.credential ?? name;
    // Old and new side by side: what still shows the old certificate is trusted until the new one is there.
    const ca = !doc.ca || doc.ca.includes(pair.ca.trim()) ? (doc.ca ?? pair.ca) : `${doc.ca.trimEnd()}\n${pair.ca}`;
    await writeDoc(m, { ...doc, ca, credential: key }, who, version);
    const after = { ...doc, ca, credential: key };
    if (!kept)
      await keep(
        ctx.config,
        m,
        { name: key, use: 'registry', user: keeper.user, secret: keeper.password, places: [`Registry ${name}`] },
        who,
      );
    if (!asked.given) await noteIssued(m, name, new X509Certificate(pair.cert).fingerprint256);
    const made = await record(
      m,
      who,
      'made a registry kit',
      name,
      { until: untilOf(pair.cert), given: !!asked.given },
      [{ kind: 'Registry', key: name, before: doc, after }],
      'registries.kit',
    );
    return { tls: pair, act: made };
  });

  const users = Object.fromEntries(
    await Promise.all(
      [keeper, puller].map(async (c) => [c.user, { password: await hashPassword(c.password), writes: c.writes }] as const),
    ),
  );
  const config = {
    dir: '/var/lib/praesidor-registry',
    address: '::',
    port: facts.port,
    tls: { key: 'tls/key.pem', cert: 'tls/cert.pem' },
    users,
    scheme: 'bearer',
    keepFree: 2_000_000_000,
    ...(registry.diskGB ? { limitBytes: Math.round(registry.diskGB * 0.9e9) } : {}),
  };
  const until = untilOf(tls.cert);
  const texts: [path: string, text: string, mode: number][] = [
    ['install.sh', installText(facts), 0o755],
    ['remove.sh', removeText(facts), 0o755],
    ['prove.sh', proveText(facts), 0o755],
    ['README.txt', readmeText(facts, until), 0o644],
    ['praesidor-registry.service', unitText(facts), 0o644],
    ['lib/registry.mjs', await registryProgram(), 0o644],
    ['etc/registry.json', `${JSON.stringify(config, null, 2)}\n`, 0o600],
    ['etc/tls/cert.pem', tls.cert, 0o644],
    ['etc/tls/key.pem', tls.key, 0o600],
    ['etc/tls/ca.pem', tls.ca, 0o644],
  ];
  const id = randomUUID();
  await mkdir(folder(ctx), { recursive: true, mode: 0o700 });
  await forgetKits(ctx);
  await write(kitFile(ctx, id), texts);
  const { size } = await stat(kitFile(ctx, id));
  return {
    id,
    bytes: size,
    sha256: await sha256Of(kitFile(ctx, id)),
    until,
    credentials: kept ? [puller] : [keeper, puller],
    keeps: kept ? keeper.user : undefined,
    act,
  };
}

const untilOf = (pem: string) => new Date(new X509Certificate(pem).validTo).toISOString();

/** The registry as one file that needs nothing but Node.js. */
const registryProgram = () => bundled(join(dirname(fileURLToPath(import.meta.resolve('@praesidor/registry'))), 'main.ts'), 'esm');

async function write(file: string, texts: [string, string, number][]): Promise<void> {
  const tar = pack();
  const node = process.execPath;
  const sums = [
    `${await sha256Of(node)}  bin/node`,
    ...texts.map(([path, text]) => `${createHash('sha256').update(text).digest('hex')}  ${path}`),
  ].join('\n');
  const top = 'praesidor-registry';
  const out = pipeline(tar as never, createGzip({ level: 1 }), createWriteStream(file, { mode: 0o600 }));
  const same = { mtime: new Date(0), uid: 0, gid: 0 };
  for (const [path, text, mode] of [...texts, ['SHA256SUMS', `${sums}\n`, 0o644] as [string, string, number]])
    tar.entry({ ...same, name: `${top}/${path}`, mode }, text);
  const { size } = await stat(node);
  const entry = tar.entry({ ...same, name: `${top}/bin/node`, mode: 0o755, size });
  await pipeline(createReadStream(node), entry as never);
  tar.finalize();
  await out;
}

async function sha256Of(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/** Removes the kits that nobody took within their hour. */
export async function forgetKits(ctx: Context): Promise<void> {
  for (const f of await readdir(folder(ctx)).catch(() => [])) {
    const s = await stat(join(folder(ctx), f)).catch(() => undefined);
    if (s && Date.now() - s.mtimeMs > kitHour) await rm(join(folder(ctx), f), { force: true });
  }
}

/** The kit, once: its name is gone as soon as somebody reads it, so that nobody reads it after them. */
export async function takeKit(ctx: Context, id: string) {
  const file = kitFile(ctx, id);
  const handle = await open(file, 'r').catch(() => undefined);
  const s = await handle?.stat();
  await rm(file, { force: true });
  if (!handle || !s || Date.now() - s.mtimeMs > kitHour) {
    await handle?.close();
    throw new Refusal('not-found', 'That kit was taken already, or is older than an hour.', {
      remedy: 'Make it again: it gets new passwords, and the same authority.',
    });
  }
  return { stream: handle.createReadStream(), size: s.size };
}
