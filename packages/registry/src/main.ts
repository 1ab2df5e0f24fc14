import { readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { ShownPair } from './certificate.ts';
import { collect } from './collect.ts';
import { readRegistryConfig } from './config.ts';
import { hashPassword, loginOf } from './login.ts';
import { prove } from './prove.ts';
import { createRegistry, showPair } from './server.ts';
import { Store } from './store.ts';

const usage = `Usage: registry serve CONFIG          answers until it is told to stop (SIGTERM)
       registry check CONFIG          reads the configuration, says what is wrong with it
       registry collect CONFIG [--dry]  takes away what nothing refers to; the server must not run
       registry prove URL --ca FILE --user NAME [--at ADDRESS] [--restart COMMAND] [--kill COMMAND]
                                      proves log-in, push, pull, restart and kill; the password is read from standard input
       registry hash-password         reads a password from standard input, prints what belongs into the configuration
`;
const say = (line: string) => void process.stdout.write(`${line}\n`);

async function serve(file: string): Promise<void> {
  const c = readRegistryConfig(file);
  const files = c.tls;
  const shown =
    files && new ShownPair(() => ({ key: readFileSync(files.key, 'utf8'), cert: readFileSync(files.cert, 'utf8') }), c.dir);
  const tls = shown?.read();
  const store = await new Store(c.dir, {
    keepFree: c.keepFree,
    ...(c.limitBytes === undefined ? {} : { limitBytes: c.limitBytes }),
  }).open();
  const server = createRegistry({
    store,
    login: loginOf(c.users),
    scheme: c.scheme,
    readOnly: c.readOnly,
    ...(tls ? { tls } : {}),
    ...(shown ? { takePair: (pair) => shown.keep(pair) } : {}),
  });
  // A new certificate is taken up without letting anybody go.
  process.on('SIGHUP', () => {
    if (shown) showPair(server, shown.read());
    say('certificate read again');
  });
  const stop = () => {
    say('stopping');
    server.close(() => process.exit(0));
    server.closeIdleConnections();
    setTimeout(() => server.closeAllConnections(), 10_000).unref();
  };
  process.on('SIGTERM', stop);
  process.on('SIGINT', stop);
  await new Promise<void>((done, fail) => {
    server.once('error', fail);
    server.listen(c.port, c.address, done);
  });
  const at = server.address() as AddressInfo;
  say(`answers at ${at.address} port ${at.port}${c.tls ? ' over TLS' : ''}, content in ${c.dir}`);
}

async function main(args: string[]): Promise<void> {
  const [command, file] = args;
  if (command === 'serve' && file) return serve(file);
  if (command === 'check' && file) return say(`${file}: good, content in ${readRegistryConfig(file).dir}`);
  if (command === 'collect' && file) {
    const c = readRegistryConfig(file);
    const out = await collect(await new Store(c.dir).open(), { dry: args.includes('--dry') });
    return say(
      `${args.includes('--dry') ? 'would take' : 'took'} ${out.blobs} blobs, ${out.bytes} bytes, ${out.uploads} abandoned uploads`,
    );
  }
  if (command === 'prove' && file) {
    const option = (name: string) => {
      const n = args.indexOf(name);
      return n < 0 ? undefined : args[n + 1];
    };
    const [ca, user, at, restart, kill] = ['--ca', '--user', '--at', '--restart', '--kill'].map(option);
    if (!ca || !user) throw new Error(usage);
    const password = readFileSync(0, 'utf8').replace(/\r?\n$/, '');
    return prove({
      url: file,
      ca: readFileSync(ca, 'utf8'),
      user,
      password,
      ...(at ? { at } : {}),
      ...(restart ? { restart } : {}),
      ...(kill ? { kill } : {}),
      say,
    });
  }
  if (command === 'hash-password') return say(await hashPassword(readFileSync(0, 'utf8').replace(/\r?\n$/, '')));
  process.stderr.write(usage);
  process.exitCode = 2;
}

main(process.argv.slice(2)).catch((e: Error) => {
  process.stderr.write(`${e.message}\n`);
  process.exitCode = 1;
});
