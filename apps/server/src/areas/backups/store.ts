import { readFile } from 'node:fs/promises';
import { hostOf, keptBack } from '@praesidor/core/access';
import { type BlockStore, folderStore, keysOf, type StoreKeys } from '@praesidor/backups';
import type { BackupStore } from '@praesidor/core/model';
import { openBucket } from '@praesidor/protocols/s3';
import type { Context } from '../../context.ts';
import { Keys } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import { unseal } from '../../auth/seal.ts';
import { credential } from '../keyring/service.ts';

export interface Opened {
  store: BlockStore;
  keys: StoreKeys;
  close: () => void;
}

/** A declared store with the keys to what lies there. @throws Refusal, StepFailure or ProtocolError with what is lacking */
export async function openStore(ctx: Context, s: BackupStore, signal?: AbortSignal): Promise<Opened> {
  const secret = await encryptionOf(ctx, s);
  const { store, close } =
    s.as === 'nfs' ? { store: folderStore(await mountedAt(s), s.name), close: () => undefined } : await bucketOf(ctx, s);
  try {
    return { store, keys: await keysOf(store, secret, signal), close };
  } catch (e) {
    close();
    throw e;
  }
}

async function bucketOf(ctx: Context, s: BackupStore) {
  const { endpoint = '', bucket = '', credential: entry = '' } = s;
  const host = hostOf(endpoint);
  const { user, secret, leash } = await credential(ctx.config, ctx.db.manager, entry, {
    use: 'objects',
    document: `BackupStore ${s.name}`,
    host,
  });
  const store = openBucket({
    dialer: ctx.dialer,
    host,
    port: Number(/:(\d+)$/.exec(endpoint)?.[1] ?? 443),
    bucket,
    region: s.region,
    // A block may take its time on a thin link.
    timeoutMs: ctx.config.timeoutSeconds * 1000,
    leash,
    credential: { user, secret },
    ...(s.ca ? { trust: { ca: s.ca } } : {}),
  });
  return { store, close: store.close };
}

/** What encrypts: it never leaves this server, and only for the stores that its entry names. */
async function encryptionOf(ctx: Context, s: BackupStore): Promise<string> {
  const e = await ctx.db.manager.findOneBy(Keys, { name: s.key });
  const why = e ? keptBack(e, { use: 'encryption', document: `BackupStore ${s.name}` }) : `the keyring has no entry ${s.key}`;
  if (!e || why)
    throw new StepFailure(
      `${s.name} cannot be used: ${why}.`,
      'Add the entry under Keyring, for encryption and for this store, then resume.',
    );
  return unseal(ctx.config.keyringKey, e.sealed, e.name);
}

/** Where an export is mounted on this server (proc(5), mountinfo): into a folder of its own disk nothing is written in its place. */
async function mountedAt(s: BackupStore): Promise<string> {
  const source = `${s.server}:${s.path}`;
  const plain = (text: string) => text.replace(/\\(\d{3})/g, (_, o: string) => String.fromCharCode(Number.parseInt(o, 8)));
  for (const line of (await readFile('/proc/self/mountinfo', 'utf8')).split('\n')) {
    const [before = '', after = ''] = line.split(' - ');
    const [type, from = ''] = after.split(' ');
    if (type === 'nfs4' && plain(from) === source) return plain(before.split(' ')[4] ?? '');
  }
  throw new StepFailure(
    `${source} is not mounted on this server.`,
    `Mount it there (mount -t nfs4 ${source} /mnt/…), then resume.`,
  );
}
