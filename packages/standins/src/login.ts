import { createServer, type Server } from 'node:net';
import ssh2 from 'ssh2';

/** What sshd of a machine knows: its key, and the accounts that somebody may enter by a key. */
export interface Login {
  /** OpenSSH format. */
  hostKey: string;
  accounts: LoginAccount[];
}
export interface LoginAccount {
  name: string;
  /** Lines of its authorized_keys. */
  keys: string[];
  /** Its line in sudoers, behind its name. */
  sudo: string;
}
export interface Ran {
  code: number;
  lines: string[];
  /** Written after the lines, as it is. */
  bytes?: Buffer;
  errors?: string;
}
interface Allowed {
  /** The command that sshd runs for this key, whatever was asked for. */
  command: string | undefined;
  type: string;
  data: string;
}

/** A line of authorized_keys (sshd(8)): options, type, key. Undefined: it is none. */
export function allowed(line: string): Allowed | undefined {
  const found = /^(?:((?:[^"\s]|"(?:\\"|[^"])*")+)\s+)?(ssh-ed25519)\s+([A-Za-z0-9+/=]+)(?:\s.*)?$/.exec(line.trim());
  if (!found) return undefined;
  const [, options = '', type = '', data = ''] = found;
  return { command: /(?:^|,)command="((?:\\"|[^"])*)"/.exec(options)?.[1]?.replaceAll('\\"', '"'), type, data };
}
/** Whether sudoers lets an account run a program as root without a password (sudoers(5)). */
export const maySudo = (rule: string, program: string): boolean => {
  const programs = /^ALL=\((?:root|ALL)\)\s+NOPASSWD:\s*(.+)$/.exec(rule)?.[1]?.split(/,\s*/) ?? [];
  return programs.includes('ALL') || programs.includes(program);
};

/** sshd of one machine: it lets in by keys alone, and runs for each what its line says. */
export function sshd(
  { hostKey, accounts }: Login,
  run: (command: string, account: LoginAccount, input: Buffer) => Promise<Ran>,
  silent: () => boolean,
): Server {
  const server = new ssh2.Server({ hostKeys: [hostKey] }, (client) => {
    client.on('error', () => undefined);
    let entered: { account: LoginAccount; key: Allowed } | undefined;
    client.on('authentication', (asked) => {
      if (asked.method !== 'publickey') return asked.reject(['publickey']);
      const account = accounts.find((a) => a.name === asked.username);
      const key = account?.keys
        .flatMap((line) => allowed(line) ?? [])
        .find((k) => k.type === asked.key.algo && k.data === asked.key.data.toString('base64'));
      if (!account || !key) return asked.reject(['publickey']);
      if (!asked.signature) return asked.accept();
      const known = ssh2.utils.parseKey(`${key.type} ${key.data}`);
      if (known instanceof Error || known.verify(asked.blob as Buffer, asked.signature) !== true) return asked.reject();
      entered = { account, key };
      asked.accept();
    });
    client.on('session', (accept) => {
      const session = accept();
      session.on('exec', (take, _refuse, { command }) => {
        const stream = take();
        const pieces: Buffer[] = [];
        stream.on('error', () => undefined);
        stream.on('data', (piece: Buffer) => pieces.push(piece));
        stream.on('end', () => {
          if (!entered) return stream.close();
          void run(entered.key.command ?? command, entered.account, Buffer.concat(pieces)).then((ran) => {
            for (const line of ran.lines) stream.write(`${line}\n`);
            if (ran.bytes) stream.write(ran.bytes);
            if (ran.errors) stream.stderr.write(`${ran.errors}\n`);
            stream.exit(ran.code);
            stream.end();
          });
        });
      });
    });
  });
  return createServer((socket) => {
    socket.on('error', () => undefined);
    // It takes the connection, and says nothing.
    if (!silent()) server.injectSocket(socket);
  });
}
