import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import {
  createReadStream,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
import { XMLParser } from 'fast-xml-parser';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';

/** A store of objects: what it is called, where it answers, who may, and what it holds. */
export interface ObjectsSpec {
  name: string;
  host: string;
  address: string;
  port: number;
  ca: string;
  region: string;
  buckets: string[];
  /** Access keys with their secrets. */
  users: Record<string, string>;
  /** Room of each bucket, in bytes. */
  room: number;
}

const sha = (b: string | Buffer) => createHash('sha256').update(b).digest('hex');
const hmac = (key: string | Buffer, text: string) => createHmac('sha256', key).update(text).digest();
const escaped = (text: string) =>
  encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);
const xml = (text: string) => text.replace(/[<>&]/g, (c) => `&#${c.charCodeAt(0)};`);

class Refused extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly more = '',
  ) {
    super(message);
  }
}

/** Who signed a request (Signature Version 4); the signature covers method, path, query, the headers that it names, and the digest of the body. */
function signer(req: IncomingMessage, url: URL, spec: ObjectsSpec, now: Date): string {
  const auth = req.headers.authorization ?? '';
  const m =
    /^AWS4-HMAC-SHA256 Credential=([^/,]+)\/(\d{8})\/([^/,]+)\/s3\/aws4_request, ?SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})$/.exec(
      auth,
    );
  if (!m) throw new Refused(403, 'AccessDenied', 'Access Denied.');
  const [, user = '', day = '', region = '', names = '', signature = ''] = m;
  const secret = Object.hasOwn(spec.users, user) ? spec.users[user] : undefined;
  if (secret === undefined) throw new Refused(403, 'InvalidAccessKeyId', 'The access key ID that was given does not exist.');
  if (region !== spec.region)
    throw new Refused(
      400,
      'AuthorizationHeaderMalformed',
      `The region '${region}' is wrong; expecting '${spec.region}'`,
      `<Region>${spec.region}</Region>`,
    );
  const at = String(req.headers['x-amz-date'] ?? '');
  const time = /^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/.exec(at);
  if (!time || !at.startsWith(day)) throw new Refused(403, 'AccessDenied', 'A valid date is required.');
  const when = Date.UTC(Number(time[1]), Number(time[2]) - 1, Number(time[3]), Number(time[4]), Number(time[5]), Number(time[6]));
  if (Math.abs(when - now.getTime()) > 15 * 60_000)
    throw new Refused(403, 'RequestTimeTooSkewed', 'The difference between the request time and the current time is too large.');
  const signed = names.split(';');
  // What decides over the request must be covered.
  for (const h of ['host', 'x-amz-date', 'x-amz-content-sha256'])
    if (req.headers[h] !== undefined && !signed.includes(h))
      throw new Refused(403, 'AccessDenied', `There were headers present which were not signed: ${h}`);
  const query = [...url.searchParams]
    .map(([k, v]) => [escaped(k), escaped(v)] as const)
    .sort(([a, x], [b, y]) => (a === b ? (x < y ? -1 : 1) : a < b ? -1 : 1));
  const canonical = [
    req.method,
    url.pathname
      .split('/')
      .map((p) => escaped(decodeURIComponent(p)))
      .join('/'),
    query.map(([k, v]) => `${k}=${v}`).join('&'),
    ...signed.map(
      (h) =>
        `${h}:${String(req.headers[h] ?? '')
          .trim()
          .replace(/ +/g, ' ')}`,
    ),
    '',
    names,
    String(req.headers['x-amz-content-sha256'] ?? ''),
  ].join('\n');
  const scope = `${day}/${region}/s3/aws4_request`;
  const key = ['s3', 'aws4_request'].reduce((k, part) => hmac(k, part), hmac(hmac(`AWS4${secret}`, day), region));
  const wants = hmac(key, `AWS4-HMAC-SHA256\n${at}\n${scope}\n${sha(canonical)}`);
  if (!timingSafeEqual(wants, Buffer.from(signature, 'hex')))
    throw new Refused(403, 'SignatureDoesNotMatch', 'The request signature does not match the signature that was calculated.');
  return user;
}

/** What is held against the body that came: the digest that was signed, and a checksum where one is said. */
function held(req: IncomingMessage, body: Buffer): void {
  const said = String(req.headers['x-amz-content-sha256'] ?? '');
  if (said !== 'UNSIGNED-PAYLOAD' && !/^[0-9a-f]{64}$/.test(said))
    throw new Refused(400, 'InvalidRequest', 'The digest of the content is missing, or is of a kind that is not taken here.');
  if (said !== 'UNSIGNED-PAYLOAD' && said !== sha(body))
    throw new Refused(400, 'XAmzContentSHA256Mismatch', 'The digest of the content is not the one that was signed.');
  const md5 = req.headers['content-md5'];
  if (md5 !== undefined && createHash('md5').update(body).digest('base64') !== md5)
    throw new Refused(400, 'BadDigest', 'The Content-MD5 is not that of what came.');
  const crc = req.headers['x-amz-checksum-crc32'];
  if (crc !== undefined) {
    const n = Buffer.alloc(4);
    n.writeUInt32BE(crc32(body) >>> 0);
    if (n.toString('base64') !== crc) throw new Refused(400, 'BadDigest', 'The CRC32 is not that of what came.');
  }
}

/** A store of objects, as far as the common part of the S3 protocol goes: objects put, read, looked at, listed and deleted, with the bucket in the path. */
export class Objects {
  /** By the path of a request, how often it came, for faults that strike now and then. */
  private asked = 0;
  private readonly cutOnce = new Set<string>();
  constructor(
    readonly spec: ObjectsSpec,
    private readonly dir: string,
    private readonly faults: Faults,
  ) {
    for (const b of spec.buckets) mkdirSync(join(dir, b), { recursive: true });
  }

  private path = (bucket: string, key: string) => join(this.dir, bucket, Buffer.from(key).toString('base64url'));
  private taken = (bucket: string) =>
    readdirSync(join(this.dir, bucket)).reduce(
      (sum, f) => sum + (f.startsWith('.') ? 0 : statSync(join(this.dir, bucket, f)).size),
      0,
    );
  private room = new Map<string, number>();
  /** All keys of a bucket, in the order of their bytes. */
  keys(bucket: string): { key: string; bytes: number; at: Date }[] {
    return readdirSync(join(this.dir, bucket))
      .filter((f) => !f.startsWith('.'))
      .map((f) => {
        const s = statSync(join(this.dir, bucket, f));
        return { key: Buffer.from(f, 'base64url').toString(), bytes: s.size, at: s.mtime };
      })
      .sort((a, b) => Buffer.compare(Buffer.from(a.key), Buffer.from(b.key)));
  }

  /** One bit of an object is turned where it lies, as disks do. */
  spoil(bucket: string, key: string): void {
    const path = this.path(bucket, key);
    const bytes = readFileSync(path);
    const middle = bytes.length >> 1;
    bytes[middle] = (bytes[middle] as number) ^ 1;
    writeFileSync(path, bytes);
  }

  async answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', 'https://store');
    const id = randomBytes(8).toString('hex').toUpperCase();
    const fault = (kind: Parameters<Faults['has']>[0]) => this.faults.has(kind, this.spec.name);
    const now = new Date(Date.now() + (fault('store-clock') ? 3_600_000 : 0));
    res.setHeader('date', now.toUTCString());
    res.setHeader('x-amz-request-id', id);
    if (fault('store-silent')) return;
    try {
      const pieces: Buffer[] = [];
      for await (const p of req) pieces.push(p as Buffer);
      const body = Buffer.concat(pieces);
      this.asked++;
      if (fault('store-busy') && this.asked % 3 === 1) throw new Refused(503, 'SlowDown', 'Please reduce your request rate.');
      if (fault('store-slow')) await new Promise((done) => setTimeout(done, 300));
      signer(req, url, { ...this.spec, region: fault('store-region') ? 'elsewhere' : this.spec.region }, now);
      held(req, body);
      const [, bucket = '', ...rest] = url.pathname.split('/').map(decodeURIComponent);
      const key = rest.join('/');
      if (!this.spec.buckets.includes(bucket))
        throw new Refused(404, 'NoSuchBucket', 'The specified bucket does not exist.', `<BucketName>${xml(bucket)}</BucketName>`);
      this.act(req, res, url, bucket, key, body);
    } catch (e) {
      const r = e instanceof Refused ? e : new Refused(500, 'InternalError', 'An internal error occurred.');
      res.statusCode = r.status;
      res.setHeader('content-type', 'application/xml');
      res.end(
        req.method === 'HEAD'
          ? ''
          : `<?xml version="1.0" encoding="UTF-8"?>\n<Error><Code>${r.code}</Code><Message>${xml(r.message)}</Message>${r.more}<Resource>${xml(url.pathname)}</Resource><RequestId>${id}</RequestId></Error>`,
      );
    }
  }

  private act(req: IncomingMessage, res: ServerResponse, url: URL, bucket: string, key: string, body: Buffer): void {
    const q = url.searchParams;
    const ok = (text: string) => {
      res.setHeader('content-type', 'application/xml');
      res.end(`<?xml version="1.0" encoding="UTF-8"?>\n${text}`);
    };
    const method = req.method ?? '';
    if (!key) {
      if (method === 'GET' && q.get('list-type') === '2') {
        ok(this.list(bucket, q));
        return;
      }
      if (method === 'POST' && q.has('delete')) {
        // Which of them go must be whole (RFC 1864, or one of the checksums).
        if (req.headers['content-md5'] === undefined && !Object.keys(req.headers).some((h) => h.startsWith('x-amz-checksum-')))
          throw new Refused(400, 'InvalidRequest', 'Missing required header for this request: Content-MD5');
        ok(this.removeAll(bucket, body));
        return;
      }
      if (method === 'HEAD') {
        res.end();
        return;
      }
      throw new Refused(501, 'NotImplemented', 'A header or query you provided implies functionality that is not implemented.');
    }
    const path = this.path(bucket, key);
    switch (method) {
      case 'PUT': {
        if (Buffer.byteLength(key) > 1024) throw new Refused(400, 'KeyTooLongError', 'Your key is too long.');
        if (req.headers['if-none-match'] === '*' && existsSync(path))
          throw new Refused(412, 'PreconditionFailed', 'At least one of the preconditions did not hold.');
        if (this.faults.has('store-cuts', this.spec.name) && !this.cutOnce.has(key)) {
          this.cutOnce.add(key);
          if (this.cutOnce.size % 4 === 1) {
            res.destroy();
            return;
          }
        }
        const before = existsSync(path) ? statSync(path).size : 0;
        const taken = this.room.get(bucket) ?? this.taken(bucket);
        if (this.faults.has('store-full', this.spec.name) || taken - before + body.length > this.spec.room)
          throw new Refused(507, 'InsufficientStorage', 'There is no room left for this bucket.');
        const beside = join(this.dir, bucket, `.${randomBytes(6).toString('hex')}`);
        writeFileSync(beside, body);
        renameSync(beside, path);
        this.room.set(bucket, taken - before + body.length);
        res.setHeader('etag', `"${randomBytes(16).toString('hex')}"`);
        res.end();
        return;
      }
      case 'GET':
      case 'HEAD': {
        if (!existsSync(path)) throw new Refused(404, 'NoSuchKey', 'The specified key does not exist.', `<Key>${xml(key)}</Key>`);
        const s = statSync(path);
        res.setHeader('last-modified', s.mtime.toUTCString());
        res.setHeader('content-length', s.size);
        res.setHeader('content-type', 'application/octet-stream');
        if (method === 'HEAD') {
          res.end();
          return;
        }
        createReadStream(path).pipe(res);
        return;
      }
      case 'DELETE':
        this.take(bucket, key);
        res.statusCode = 204;
        res.end();
        return;
    }
    throw new Refused(405, 'MethodNotAllowed', 'The specified method is not allowed against this resource.');
  }

  private take(bucket: string, key: string): void {
    rmSync(this.path(bucket, key), { force: true });
    this.room.delete(bucket);
  }

  private list(bucket: string, q: URLSearchParams): string {
    const prefix = q.get('prefix') ?? '';
    const most = Math.min(1000, Number(q.get('max-keys') ?? 1000));
    const after = q.has('continuation-token')
      ? Buffer.from(q.get('continuation-token') ?? '', 'base64url').toString()
      : (q.get('start-after') ?? '');
    const all = this.keys(bucket).filter(
      (k) => k.key.startsWith(prefix) && (!after || Buffer.compare(Buffer.from(k.key), Buffer.from(after)) > 0),
    );
    const page = all.slice(0, most);
    const more = all.length > page.length;
    return `<ListBucketResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/"><Name>${xml(bucket)}</Name><Prefix>${xml(prefix)}</Prefix><KeyCount>${page.length}</KeyCount><MaxKeys>${most}</MaxKeys><IsTruncated>${more}</IsTruncated>${
      more ? `<NextContinuationToken>${Buffer.from(page.at(-1)?.key ?? '').toString('base64url')}</NextContinuationToken>` : ''
    }${page
      .map(
        (k) =>
          `<Contents><Key>${xml(k.key)}</Key><LastModified>${k.at.toISOString()}</LastModified><Size>${k.bytes}</Size><StorageClass>STANDARD</StorageClass></Contents>`,
      )
      .join('')}</ListBucketResult>`;
  }

  private removeAll(bucket: string, body: Buffer): string {
    const read = new XMLParser({ isArray: (name) => name === 'Object', parseTagValue: false }).parse(body.toString()) as {
      Delete?: { Object?: { Key?: string }[]; Quiet?: string };
    };
    const keys = (read.Delete?.Object ?? []).map((o) => o.Key);
    if (!keys.length || keys.length > 1000 || keys.some((k) => !k))
      throw new Refused(400, 'MalformedXML', 'The XML you provided was not well-formed.');
    for (const k of keys as string[]) this.take(bucket, k);
    const quiet = read.Delete?.Quiet === 'true';
    return `<DeleteResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/">${quiet ? '' : keys.map((k) => `<Deleted><Key>${xml(k as string)}</Key></Deleted>`).join('')}</DeleteResult>`;
  }
}

export function objectsServer(objects: Objects, pair: Pair): Server {
  return createServer({ cert: pair.cert, key: pair.key, minVersion: 'TLSv1.2' }, (req, res) => void objects.answer(req, res));
}
