import { createSocket, type RemoteInfo, type Socket } from 'node:dgram';
import { readFile } from 'node:fs/promises';

/**
 * The first program of hosts that start by PXE, over TFTP: read requests alone (RFC 1350), with the options blksize, tsize and timeout
 * (RFC 2347 to 2349), and files that were named at the start. Each transfer has a port of its own; a request is answered to whoever sent it,
 * with no more than one packet in flight.
 */
export interface Tftp {
  port: number;
  close: () => void;
}
const most = { transfers: 64, tries: 6 };
const operation = { read: 1, data: 3, acknowledge: 4, error: 5, options: 6 } as const;

/** @param files what can be read: a path on this machine by the name asked for @throws Error when the port cannot be had */
export async function serveTftp(
  at: { host: string; port: number },
  files: Record<string, string>,
  log: (message: string, facts?: object) => void,
  timeoutMs = 1000,
): Promise<Tftp> {
  const socket = createSocket(at.host.includes(':') ? 'udp6' : 'udp4');
  const transfers = new Set<Socket>();
  socket.on('message', (message, from) => {
    const asked = requestOf(message);
    if (!asked || transfers.size >= most.transfers) return;
    void transfer(at.host, from, asked, files, transfers, timeoutMs).catch((e: Error) =>
      log('a transfer over TFTP broke off', { to: from.address, file: asked.name, error: e.message }),
    );
  });
  await new Promise<void>((done, fail) => {
    socket.once('error', fail);
    socket.bind(at.port, at.host, done);
  });
  socket.on('error', (e) => log('TFTP', { error: e.message }));
  return {
    port: socket.address().port,
    close: () => {
      socket.close();
      for (const t of transfers) t.close();
    },
  };
}

interface Request {
  name: string;
  options: Map<string, string>;
}
/** What a packet asks to read; undefined: it is no whole read request of binary data. */
export function requestOf(message: Buffer): Request | undefined {
  if (message.length < 4 || message.length > 512 || message.readUInt16BE(0) !== operation.read) return undefined;
  const words = message.toString('latin1', 2).split('\0');
  if (words.pop() !== '' || words.length < 2 || words.length % 2) return undefined;
  const [name = '', mode = '', ...rest] = words;
  if (mode.toLowerCase() !== 'octet') return undefined;
  const options = new Map<string, string>();
  for (let n = 0; n < rest.length; n += 2) options.set((rest[n] as string).toLowerCase(), rest[n + 1] as string);
  return { name: name.replace(/^\/+/, ''), options };
}

async function transfer(
  host: string,
  to: RemoteInfo,
  { name, options }: Request,
  files: Record<string, string>,
  transfers: Set<Socket>,
  timeoutMs: number,
): Promise<void> {
  const socket = createSocket(host.includes(':') ? 'udp6' : 'udp4');
  transfers.add(socket);
  let heard: ((block: number | 'error') => void) | undefined;
  socket.on('message', (m, from) => {
    if (from.address !== to.address || from.port !== to.port || m.length < 4) return;
    const code = m.readUInt16BE(0);
    if (code === operation.error) heard?.('error');
    else if (code === operation.acknowledge) heard?.(m.readUInt16BE(2));
  });
  socket.on('error', () => heard?.('error'));
  const send = (packet: Buffer) => socket.send(packet, to.port, to.address);
  /** Sends until it is acknowledged; false: whoever asked has had enough. */
  const deliver = async (packet: Buffer, block: number): Promise<boolean> => {
    for (let tries = 0; tries < most.tries; tries++) {
      const answered = new Promise<boolean | undefined>((done) => {
        const timer = setTimeout(() => done(undefined), timeoutMs);
        heard = (n) => {
          if (n !== 'error' && n !== block) return;
          clearTimeout(timer);
          done(n === block);
        };
      });
      send(packet);
      const answer = await answered;
      if (answer !== undefined) return answer;
    }
    throw new Error(`block ${block} was not acknowledged`);
  };
  try {
    await new Promise<void>((done, fail) => {
      socket.once('error', fail);
      socket.bind(0, host, done);
    });
    const path = Object.hasOwn(files, name) ? files[name] : undefined;
    const bytes = path === undefined ? undefined : await readFile(path).catch(() => undefined);
    if (!bytes) {
      send(Buffer.concat([word(operation.error), word(1), Buffer.from('there is no such file\0')]));
      // Sent before the socket is closed.
      await new Promise((done) => setImmediate(done));
      return;
    }
    const asked = Number(options.get('blksize'));
    const size = Number.isInteger(asked) && asked >= 8 ? Math.min(asked, 1428) : 512;
    const taken: [string, string][] = [
      ...(options.has('blksize') && Number.isInteger(asked) && asked >= 8 ? [['blksize', String(size)] as [string, string]] : []),
      ...(options.has('tsize') ? [['tsize', String(bytes.length)] as [string, string]] : []),
    ];
    if (taken.length) {
      const text = taken.map(([k, v]) => `${k}\0${v}\0`).join('');
      if (!(await deliver(Buffer.concat([word(operation.options), Buffer.from(text, 'latin1')]), 0))) return;
    }
    // The last block is a short one, empty where the size comes out even.
    for (let block = 1, from = 0; from <= bytes.length; block++, from += size) {
      const number = block & 0xffff;
      if (!(await deliver(Buffer.concat([word(operation.data), word(number), bytes.subarray(from, from + size)]), number)))
        return;
    }
  } finally {
    transfers.delete(socket);
    socket.close();
  }
}
const word = (n: number) => Buffer.from([n >> 8, n & 255]);
