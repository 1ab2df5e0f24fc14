import {
  DeleteObjectsCommand,
  GetObjectCommand,
  HeadObjectCommand,
  ListObjectsV2Command,
  PutObjectCommand,
  S3Client,
  S3ServiceException,
} from '@aws-sdk/client-s3';
import { setTimeout as pause } from 'node:timers/promises';
import { type Dialer, type Leash, ProtocolError, transient, type Trust } from '../dial/index.ts';

/** A bucket of an object store that speaks the S3 protocol over HTTPS, with the bucket in the path. */
export interface BucketAt {
  dialer: Dialer;
  host: string;
  port: number;
  bucket: string;
  /** As the store calls its own. */
  region?: string | undefined;
  trust?: Trust;
  leash?: Leash | undefined;
  credential: { user: string; secret: string };
  /** What everything in it begins with. */
  prefix?: string;
  /** How often something is tried that may come right, and milliseconds before the second try. */
  tries?: number;
  waitMs?: number;
  /** Milliseconds until an answer has begun; one that does not answer is asked twice. */
  timeoutMs?: number;
}
export interface ObjectSeen {
  name: string;
  bytes: number;
  /** By the clock of the store; milliseconds since 1970. */
  at: number;
}
/** What is done with a bucket. Everything throws ProtocolError. */
export interface Bucket {
  readonly title: string;
  put(name: string, bytes: Buffer, signal?: AbortSignal, unless?: 'there'): Promise<boolean>;
  get(name: string, signal?: AbortSignal): Promise<Buffer>;
  has(name: string, signal?: AbortSignal): Promise<boolean>;
  list(prefix: string, signal?: AbortSignal): AsyncIterable<ObjectSeen>;
  remove(names: readonly string[], signal?: AbortSignal): Promise<void>;
  close(): void;
}

// Which versions of Node.js its later releases are for is nothing that whoever runs this needs in the log.
process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= 'true';

const usual = 'us-east-1';
const minutes = (ms: number) => Math.max(1, Math.round(Math.abs(ms) / 60_000));

/** What a store refuses with, in the words of the other ways out. */
function faultOf(e: unknown, at: BucketAt, what: string): ProtocolError {
  const where = `${at.host}:${at.port}`;
  if (!(e instanceof S3ServiceException)) return ProtocolError.from(e, where);
  const status = e.$metadata.httpStatusCode;
  const { headers } = (e.$response ?? {}) as { headers?: Record<string, string> };
  const say = (fault: ProtocolError['fault'], detail: string) =>
    new ProtocolError(fault, where, detail, status, retryAfter(headers));
  switch (e.name) {
    case 'NoSuchKey':
    case 'NotFound':
      return say('missing', `${what} is not there`);
    case 'NoSuchBucket':
      return say('answer', `it has no bucket ${at.bucket}`);
    case 'InvalidAccessKeyId':
      return say('credentials', `it does not know ${at.credential.user}`);
    case 'SignatureDoesNotMatch':
      return say('credentials', `the secret of ${at.credential.user} is another one there`);
    case 'AccessDenied':
    case 'Forbidden':
      return say('credentials', `${at.credential.user} may not do that in ${at.bucket}`);
    case 'RequestTimeTooSkewed': {
      const its = headers?.date ? Date.parse(headers.date) : Number.NaN;
      return say(
        'credentials',
        Number.isNaN(its)
          ? 'its clock and the clock of this server are too far apart'
          : `its clock is ${minutes(its - Date.now())} min ${its > Date.now() ? 'ahead of' : 'behind'} the clock of this server: nothing is signed for its time`,
      );
    }
    case 'AuthorizationHeaderMalformed':
    case 'PermanentRedirect':
    case 'IllegalLocationConstraintException': {
      const its = (e as { Region?: string }).Region ?? headers?.['x-amz-bucket-region'];
      return say(
        'answer',
        `its bucket ${at.bucket} is in ${its ? `the region ${its}` : 'another region'}, not in ${at.region ?? usual}`,
      );
    }
    case 'QuotaExceeded':
    case 'InsufficientStorage':
      return say('full', `its bucket ${at.bucket} has no room left`);
    case 'SlowDown':
    case 'ServiceUnavailable':
      return say('busy', 'it asks to come again later');
  }
  if (status === 404) return say('missing', `${what} is not there`);
  if (status === 403) return say('credentials', `${at.credential.user} may not do that in ${at.bucket}`);
  if (status === 507) return say('full', `its bucket ${at.bucket} has no room left`);
  if (status === 503 || status === 429) return say('busy', 'it asks to come again later');
  return say('answer', `it answered ${status ?? '?'} to ${what}: ${e.message || e.name}`);
}
function retryAfter(headers: Record<string, string> | undefined): number | undefined {
  const s = Number(headers?.['retry-after']);
  return Number.isFinite(s) && s > 0 ? s * 1000 : undefined;
}

/** A bucket, each request of which goes out as everything does: names resolved, policy asked, certificate verified. */
export function openBucket(at: BucketAt): Bucket {
  const { bucket: Bucket, prefix = '', tries = 5, waitMs = 200, timeoutMs = 60_000 } = at;
  const target = {
    purpose: 'store' as const,
    host: at.host,
    port: at.port,
    tls: true,
    leash: at.leash,
    ...(at.trust ? { trust: at.trust } : {}),
  };
  const client = new S3Client({
    endpoint: `https://${at.host.includes(':') ? `[${at.host}]` : at.host}:${at.port}`,
    region: at.region ?? usual,
    forcePathStyle: true,
    // No answer is waited for before the content is sent.
    expectContinueHeader: false,
    credentials: { accessKeyId: at.credential.user, secretAccessKey: at.credential.secret },
    // What is tried again is decided here.
    maxAttempts: 1,
    requestChecksumCalculation: 'WHEN_REQUIRED',
    responseChecksumValidation: 'WHEN_REQUIRED',
    requestHandler: {
      metadata: { handlerProtocol: 'http/1.1' },
      handle: async (r: Asked, { abortSignal }: { abortSignal?: AbortSignal } = {}) => {
        const answer = await at.dialer.ask(target, {
          method: r.method,
          path: r.path + queryOf(r.query),
          headers: r.headers,
          ...(r.body === undefined
            ? {}
            : { body: r.body instanceof Uint8Array ? Buffer.from(r.body.buffer, r.body.byteOffset, r.body.byteLength) : r.body }),
          ...(abortSignal ? { signal: abortSignal } : {}),
          timeoutMs,
        });
        return {
          response: {
            statusCode: answer.status,
            headers: Object.fromEntries(Object.entries(answer.headers).map(([k, v]) => [k, String(v)])),
            body: answer.body,
          },
        };
      },
    } as never,
  });
  // Over TLS, and held against its own digest when it is read: what is sent is not hashed once more to be signed.
  client.middlewareStack.add(
    (next) => async (args) => {
      const r = args.request as { method?: string; headers?: Record<string, string> };
      if (r.method === 'PUT' && r.headers) r.headers['x-amz-content-sha256'] = 'UNSIGNED-PAYLOAD';
      return next(args);
    },
    { step: 'build', name: 'unsignedContent' },
  );
  const ask = async <T>(
    what: string,
    signal: AbortSignal | undefined,
    once: (o: { abortSignal?: AbortSignal }) => Promise<T>,
  ): Promise<T> => {
    for (let n = 1; ; n++) {
      try {
        signal?.throwIfAborted();
        return await once(signal ? { abortSignal: signal } : {});
      } catch (e) {
        if (signal?.aborted) throw new ProtocolError('cancelled', `${at.host}:${at.port}`, 'stopped by us');
        const fault = faultOf(e, at, what);
        if (n >= (fault.fault === 'silent' ? Math.min(2, tries) : tries) || !transient(fault)) throw fault;
        await pause(Math.min(fault.retryAfter ?? waitMs * 2 ** (n - 1), 10_000), undefined, signal ? { signal } : {}).catch(
          () => undefined,
        );
      }
    }
  };
  return {
    title: `${at.host}:${at.port}/${at.bucket}`,
    put: async (name, bytes, signal, unless) => {
      try {
        await ask(name, signal, (o) =>
          client.send(
            new PutObjectCommand({
              Bucket,
              Key: prefix + name,
              Body: bytes,
              ContentLength: bytes.length,
              ...(unless ? { IfNoneMatch: '*' } : {}),
            }),
            o,
          ),
        );
        return true;
      } catch (e) {
        if (e instanceof ProtocolError && (e.status === 412 || e.status === 409) && unless) return false;
        throw e;
      }
    },
    get: (name, signal) =>
      ask(name, signal, async (o) => {
        const { Body, ContentLength } = await client.send(new GetObjectCommand({ Bucket, Key: prefix + name }), o);
        const bytes = Buffer.from((await Body?.transformToByteArray()) ?? []);
        if (ContentLength !== undefined && bytes.length !== ContentLength)
          throw new ProtocolError('cut', `${at.host}:${at.port}`, 'the connection was closed in the middle');
        return bytes;
      }),
    has: (name, signal) =>
      ask(name, signal, (o) => client.send(new HeadObjectCommand({ Bucket, Key: prefix + name }), o)).then(
        () => true,
        (e: unknown) => {
          if (e instanceof ProtocolError && e.fault === 'missing') return false;
          throw e;
        },
      ),
    list: async function* (begin, signal) {
      let ContinuationToken: string | undefined;
      do {
        const page = await ask(begin || at.bucket, signal, (o) =>
          client.send(
            new ListObjectsV2Command({ Bucket, Prefix: prefix + begin, ...(ContinuationToken ? { ContinuationToken } : {}) }),
            o,
          ),
        );
        for (const c of page.Contents ?? [])
          if (c.Key) yield { name: c.Key.slice(prefix.length), bytes: c.Size ?? 0, at: c.LastModified?.getTime() ?? 0 };
        ContinuationToken = page.IsTruncated ? page.NextContinuationToken : undefined;
      } while (ContinuationToken);
    },
    remove: async (names, signal) => {
      for (let i = 0; i < names.length; i += 1000) {
        const part = names.slice(i, i + 1000);
        const { Errors } = await ask('deletion', signal, (o) =>
          client.send(
            new DeleteObjectsCommand({ Bucket, Delete: { Quiet: true, Objects: part.map((n) => ({ Key: prefix + n })) } }),
            o,
          ),
        );
        const [one] = Errors ?? [];
        if (one)
          throw new ProtocolError(
            one.Code === 'AccessDenied' ? 'credentials' : 'answer',
            `${at.host}:${at.port}`,
            `${one.Key ?? 'an object'} was not deleted: ${one.Message ?? one.Code ?? 'no reason was given'}`,
          );
      }
    },
    close: () => client.destroy(),
  };
}

interface Asked {
  method: string;
  path: string;
  query?: Record<string, string | string[] | null>;
  headers: Record<string, string>;
  body?: Uint8Array | string;
}
/** As it was signed (RFC 3986): what is not unreserved is escaped. */
const escaped = (text: string) =>
  encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);
function queryOf(query: Asked['query']): string {
  const parts = Object.entries(query ?? {})
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .flatMap(([k, v]) => (v === null ? escaped(k) : [v].flat().map((x) => `${escaped(k)}=${escaped(x)}`)));
  return parts.length ? `?${parts.join('&')}` : '';
}
