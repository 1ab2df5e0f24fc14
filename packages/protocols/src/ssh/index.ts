import { connect, type Socket } from 'node:net';
import type { Writable } from 'node:stream';
import ssh2 from 'ssh2';
import { type Exits, ProtocolError, type Purpose } from '../dial/index.ts';

/** A machine that is reached over SSH (RFC 4253), known by its own key. */
export interface SshAt {
  exits: Exits;
  /** What it is: `cluster`, a host of one, without it. */
  purpose?: Purpose;
  /** Its name, for what is said about it. */
  host: string;
  address: string;
  port?: number;
  user: string;
  /** Private key for the account, OpenSSH format. */
  key: string;
  /** Public key of the machine, as `ssh-ed25519 AAAA…`; whoever shows another is told nothing. */
  hostKey: string;
  /** Milliseconds that it may take until somebody is let in. */
  patienceMs?: number;
}
export interface SshKeys {
  /** OpenSSH format. */
  private: string;
  /** One line, without a comment. */
  public: string;
}
/**
 * A new pair of Ed25519 keys (RFC 8709), made beside the event loop: a cluster has one for each of its hosts.
 * The library loses the zero bytes that a public key may begin with: one in 256 is then too short for any sshd, and another is made.
 */
export async function sshKeys(): Promise<SshKeys> {
  for (;;) {
    const made = await new Promise<SshKeys>((done, fail) =>
      ssh2.utils.generateKeyPair('ed25519', (e, keys) => (e ? fail(e) : done(keys))),
    );
    if (readable(made.private)) return made;
  }
}
/** Whether a private key in OpenSSH format can be read: sshd and ssh refuse one that is malformed. */
export const readable = (key: string): boolean => !(ssh2.utils.parseKey(key) instanceof Error);

/** How a command ended. */
export interface Ended {
  /** Its exit status; undefined: it was ended by a signal. */
  code: number | undefined;
  /** What it wrote as errors, the last kilobytes. */
  errors: string;
}
export interface Telling {
  /** Told each line that it writes, as it comes. */
  line?: (text: string) => void;
  /** Given what it writes as it comes, in place of lines; nothing more comes until it is done with. */
  bytes?: (piece: Buffer) => Promise<void> | void;
  signal?: AbortSignal;
  /** Milliseconds after which one that says nothing is given up. */
  silentMs?: number;
}

/** Waits until a stream takes more, or is closed. */
export const drained = (to: Writable): Promise<void> =>
  new Promise((done) => {
    if (to.destroyed) return done();
    const on = () => {
      to.off('drain', on);
      to.off('close', on);
      done();
    };
    to.on('drain', on);
    to.on('close', on);
  });

/** Gives a program what it is to read as fast as it reads. */
async function feed(to: Writable, pieces: AsyncIterable<Buffer>, alive: () => void): Promise<void> {
  for await (const piece of pieces) {
    alive();
    // One that has ended reads nothing more: how it ended is told by itself.
    if (to.destroyed || to.writableEnded) return;
    if (!to.write(piece)) await drained(to);
  }
}

/** What went wrong before the command ran, in the words of the other ways out. */
function faultOf(e: Error & { level?: string; code?: string }, where: string, at: SshAt): ProtocolError {
  if (e.level === 'client-authentication')
    return new ProtocolError(
      'credentials',
      where,
      `it does not let the account ${at.user} in with the key of this ${at.purpose === 'gateway' ? 'server' : 'cluster'}`,
    );
  if (e.level === 'client-timeout') return new ProtocolError('silent', where, 'it does not answer');
  if (/denied \(verification failed\)/i.test(e.message))
    return new ProtocolError('pin', where, `another machine answers at ${at.address}: its key is not that of ${at.host}`);
  return ProtocolError.from(e, where);
}

/**
 * Runs one command there and gives it these bytes to read, at once or as they come. The machine is held against its key before anything of ours is sent, and is let in by a
 * key alone. @throws ProtocolError where it did not come so far, or was cut off in the middle: it may have run then
 */
export async function runOver(
  at: SshAt,
  command: string,
  input: Buffer | AsyncIterable<Buffer>,
  { line, bytes, signal, silentMs = 60_000 }: Telling,
): Promise<Ended> {
  const port = at.port ?? 22;
  const where = `${at.host}:${port}`;
  const to = await at.exits.to(at.purpose ?? 'cluster', at.address, at.address, port);
  signal?.throwIfAborted();
  const expected = ssh2.utils.parseKey(at.hostKey);
  if (expected instanceof Error) throw new ProtocolError('answer', where, `its key cannot be read: ${expected.message}`);
  const own = expected.getPublicSSH();
  const client = new ssh2.Client();
  const socket: Socket = connect({ host: to.host, port: to.port });
  try {
    return await new Promise<Ended>((done, fail) => {
      let timer: NodeJS.Timeout | undefined;
      const alive = () => {
        clearTimeout(timer);
        timer = setTimeout(() => fail(new ProtocolError('silent', where, 'it says nothing any more')), silentMs);
      };
      const stop = () => fail(new ProtocolError('cancelled', where, 'stopped by us'));
      signal?.addEventListener('abort', stop, { once: true });
      const over = () => {
        clearTimeout(timer);
        signal?.removeEventListener('abort', stop);
      };
      alive();
      socket.once('error', (e) => fail(ProtocolError.from(e, where)));
      client.on('error', (e) => fail(faultOf(e, where, at)));
      client.once('close', () => {
        over();
        fail(new ProtocolError('cut', where, 'the connection was closed in the middle'));
      });
      client.once('ready', () => {
        client.exec(command, (e, stream) => {
          if (e) return fail(faultOf(e, where, at));
          let errors = '';
          let rest = '';
          stream.on('data', (piece: Buffer) => {
            alive();
            if (bytes) {
              const done = bytes(piece);
              if (!done) return;
              stream.pause();
              clearTimeout(timer);
              done.then(() => {
                alive();
                stream.resume();
              }, fail);
              return;
            }
            const lines = (rest + piece.toString()).split('\n');
            rest = (lines.pop() ?? '').slice(-4000);
            for (const l of lines) if (l) line?.(l.slice(0, 500));
          });
          stream.stderr.on('data', (piece: Buffer) => {
            alive();
            errors = (errors + piece.toString()).slice(-4000);
          });
          let code: number | undefined;
          stream.once('exit', (status: number | null) => {
            code = status ?? undefined;
          });
          stream.once('close', () => {
            over();
            if (rest) line?.(rest);
            done({ code, errors: errors.trim() });
          });
          stream.on('error', (x: Error) => fail(ProtocolError.from(x, where)));
          if (Buffer.isBuffer(input)) stream.end(input);
          else
            void feed(stream, input, alive).then(
              () => stream.end(),
              (x: Error) => fail(x),
            );
        });
      });
      client.connect({
        sock: socket,
        username: at.user,
        privateKey: at.key,
        authHandler: ['publickey'],
        readyTimeout: at.patienceMs ?? 8_000,
        algorithms: { serverHostKey: ['ssh-ed25519'] },
        hostVerifier: (shown: Buffer) => shown.equals(own),
      });
    });
  } finally {
    client.end();
    socket.destroy();
  }
}
