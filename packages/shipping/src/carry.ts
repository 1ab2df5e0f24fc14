import { createHash } from 'node:crypto';
import { ProtocolError } from '@praesidor/protocols/dial';
import { pushBlob, readOn, type RegistryAt } from '@praesidor/protocols/oci';
import type { Pacer } from './pacer.ts';
import { Reading } from './reading.ts';

/** One blob on its way from registry to registry. */
export interface Carriage {
  repository: string;
  /** Where it stands at the source, where that is another path. */
  from?: string | undefined;
  digest: string;
  bytes: number;
  /** An upload that was begun before, perhaps by a process that is gone. */
  upload?: string | undefined;
}
export interface CarryHooks {
  onBytes: (n: number) => void;
  onCut: () => void;
  /** Other bytes arrived than the digest has; they are sent once more from the beginning. */
  onWrong: () => void;
  /** Told where an upload goes on after a kill; sending waits until it is put down. */
  onOpened: (location: string) => Promise<void>;
}

/**
 * Carries a blob: read on after a break at the source, gone on with after one at the target. The registry holds every
 * blob against its digest before it takes it (OCI distribution, end-6), so it is hashed once on its way. Refused, it is
 * sent once more from the beginning and hashed here too: to say who had the wrong byte.
 * @throws ProtocolError; `digest` names the end whose bytes were wrong. @throws Closed when the way's hours end
 */
export async function carryBlob(
  source: RegistryAt,
  to: RegistryAt,
  c: Carriage,
  pacer: Pacer | undefined,
  hooks: CarryHooks,
): Promise<void> {
  for (let tries = 0; ; tries++) {
    try {
      return await once(source, to, c, pacer, hooks, tries);
    } catch (e) {
      // A byte was wrong on the way, or in what a killed process had sent.
      if (!(e instanceof ProtocolError) || e.fault !== 'digest' || tries > 0) throw e;
      hooks.onWrong();
    }
  }
}

async function once(
  source: RegistryAt,
  to: RegistryAt,
  c: Carriage,
  pacer: Pacer | undefined,
  hooks: CarryHooks,
  tries: number,
): Promise<void> {
  let hash = tries ? createHash('sha256') : undefined;
  const reading = new Reading();
  async function* bytes(from: number) {
    hash = tries && from === 0 ? createHash('sha256') : undefined;
    const read = readOn(
      source,
      c.from ?? c.repository,
      { digest: c.digest, from, to: c.bytes, size: c.bytes },
      { onCut: hooks.onCut },
    );
    for await (const chunk of reading.of(pacer ? pacer.through(read, source.signal) : read)) {
      hash?.update(chunk);
      hooks.onBytes(chunk.length);
      yield chunk;
    }
  }
  try {
    await pushBlob(to, c.repository, c.digest, c.bytes, bytes, {
      resume: tries ? undefined : c.upload,
      inOneRequest: inOneRequest(pacer),
      onCut: hooks.onCut,
      onOpened: hooks.onOpened,
    });
  } catch (e) {
    if (reading.fault) throw reading.fault;
    const cause = ProtocolError.from(e, to.endpoint);
    if (cause.fault === 'digest' && hash && `sha256:${hash.digest('hex')}` !== c.digest)
      throw new ProtocolError(
        'digest',
        source.endpoint,
        `${c.digest.slice(0, 19)} was read with other bytes; ${to.endpoint} refused them`,
      );
    throw cause;
  }
}

/** What passes in the time that two requests take is sooner sent again than gone on with: 1 MB on a thin link, 8 MB at the most. */
const inOneRequest = (pacer: Pacer | undefined) => Math.min(8e6, Math.max(1e6, pacer?.bytesIn(50) ?? 8e6));
