import { ProtocolError, transient } from '@praesidor/protocols/dial';
import { type RegistryAt, readBlob } from '@praesidor/protocols/oci';

/**
 * The bytes of a blob from `from` on, in one stream whatever happens on the way: after a dropped connection
 * it goes on at the byte where it broke (RFC 9110 §14), a few times. `onCut` hears of each.
 */
export async function* readOn(
  source: RegistryAt,
  repository: string,
  digest: string,
  size: number,
  from = 0,
  onCut?: (at: number) => void,
): AsyncGenerator<Buffer> {
  let at = from;
  let tries = 0;
  while (at < size || size === 0) {
    const start = at;
    try {
      for await (const chunk of await readBlob(source, repository, digest, at)) {
        at += (chunk as Buffer).length;
        yield chunk as Buffer;
      }
      if (at >= size) return;
      throw new ProtocolError('cut', source.endpoint, `the connection was closed after ${at} of ${size} bytes`);
    } catch (cause) {
      const e = ProtocolError.from(cause, source.endpoint);
      if (!transient(e) || (at === start && ++tries > 6)) throw e;
      if (at > start) tries = 0;
      onCut?.(at);
      await new Promise((done) => setTimeout(done, 50 * tries));
    }
  }
}
