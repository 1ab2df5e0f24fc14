/** What went wrong on the way to an outside device. The kind is stable; the words come from here. */
export type ProtocolFault =
  | 'silent'
  | 'refused'
  | 'cut'
  | 'pin'
  | 'trust'
  | 'name'
  | 'credentials'
  | 'answer'
  | 'cancelled'
  | 'digest'
  | 'missing'
  /** No resolver knows its name. */
  | 'unresolved'
  | 'full'
  | 'busy'
  /** Not connected: the policy does not open it, or a credential may not go there. */
  | 'kept-back';

export class ProtocolError extends Error {
  constructor(
    readonly fault: ProtocolFault,
    readonly where: string,
    readonly detail: string,
    readonly status?: number,
    /** Milliseconds after which it asked to be asked again (RFC 9110 §10.2.3). */
    readonly retryAfter?: number,
  ) {
    super(`${where}: ${detail}`);
    this.name = 'ProtocolError';
  }

  static from(cause: unknown, where: string): ProtocolError {
    if (cause instanceof ProtocolError) return cause;
    const e = cause as { code?: string; name?: string; message?: string; cause?: unknown };
    if (e.cause instanceof ProtocolError) return e.cause;
    if (e.name === 'AbortError') return new ProtocolError('cancelled', where, 'stopped by us');
    switch (e.code) {
      case 'ECONNREFUSED':
        return new ProtocolError('refused', where, 'nothing listens there');
      case 'UND_ERR_CONNECT_TIMEOUT':
      case 'UND_ERR_HEADERS_TIMEOUT':
      case 'UND_ERR_BODY_TIMEOUT':
      case 'ETIMEDOUT':
      case 'EHOSTUNREACH':
      case 'ENETUNREACH':
        return new ProtocolError('silent', where, 'it does not answer');
      case 'ECONNRESET':
      case 'UND_ERR_SOCKET':
      case 'EPIPE':
      case 'UND_ERR_ABORTED':
      case 'UND_ERR_RES_CONTENT_LENGTH_MISMATCH':
        return new ProtocolError('cut', where, 'the connection was closed in the middle');
      case 'UND_ERR_RES_EXCEEDED_MAX_SIZE':
        return new ProtocolError('answer', where, 'it sends more than is taken of an answer');
      default:
        return new ProtocolError('answer', where, e.message ?? String(cause));
    }
  }
}

/** Faults that may be gone at the next try. */
export const transient = (e: unknown) =>
  e instanceof ProtocolError &&
  e.fault !== 'full' &&
  (['silent', 'refused', 'cut', 'busy'].includes(e.fault) || (e.status !== undefined && e.status >= 500));
