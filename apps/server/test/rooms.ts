import { type ChildProcess, execFile, spawn, spawnSync } from 'node:child_process';

/** Whether network namespaces can be had here: root on Linux, with bridges. */
export const roomsCanBeHad =
  process.getuid?.() === 0 && spawnSync('unshare', ['--net', 'ip', 'link', 'add', 'br0', 'type', 'bridge']).status === 0;
if (!roomsCanBeHad)
  process.stderr.write(
    'No network namespaces can be had here (they take root, ip and bridges): real etcd, haproxy and keepalived are skipped.\n',
  );

/**
 * Machines of one network, as network namespaces on a bridge (ip-netns(8)): real programs run in each with the addresses of
 * the plan, and see nothing else of the world.
 */
export class Rooms {
  private readonly prefix = `r${process.pid % 10_000}`;
  private readonly names: string[] = [];
  private readonly running = new Set<ChildProcess>();
  private readonly ns = (name: string) => `${this.prefix}-${name}`;

  private ip(...args: string[]): void {
    const r = spawnSync('ip', args, { encoding: 'utf8' });
    if (r.status !== 0) throw new Error(`ip ${args.join(' ')}: ${r.stderr}`);
  }
  open(): this {
    this.ip('netns', 'add', this.ns('switch'));
    this.names.push('switch');
    this.ip('-n', this.ns('switch'), 'link', 'add', 'br0', 'type', 'bridge');
    this.ip('-n', this.ns('switch'), 'link', 'set', 'br0', 'up');
    return this;
  }
  /** A machine with one adapter. */
  add(name: string, nic: string, address: string): void {
    const port = `p${this.names.length}`;
    this.ip('netns', 'add', this.ns(name));
    this.names.push(name);
    this.ip('-n', this.ns('switch'), 'link', 'add', port, 'type', 'veth', 'peer', 'name', nic, 'netns', this.ns(name));
    this.ip('-n', this.ns('switch'), 'link', 'set', port, 'master', 'br0', 'up');
    this.ip('-n', this.ns(name), 'link', 'set', 'lo', 'up');
    // An address of IPv6 is there at once: nobody else has it (RFC 4862 §5.4 is left out).
    this.ip('-n', this.ns(name), 'addr', 'add', address, 'dev', nic, ...(address.includes(':') ? ['nodad'] : []));
    this.ip('-n', this.ns(name), 'link', 'set', nic, 'up');
  }
  /** A program in a machine, to its end. */
  run(name: string, command: string[], timeoutMs = 20_000): Promise<{ code: number; out: string }> {
    return new Promise((done) => {
      execFile('ip', ['netns', 'exec', this.ns(name), ...command], { timeout: timeoutMs, encoding: 'utf8' }, (e, out, err) =>
        done({ code: e ? Number((e as { code?: number }).code ?? 1) : 0, out: `${out}${err}` }),
      );
    });
  }
  /** A program that goes on in a machine until it is ended; what it says is kept. */
  start(name: string, command: string[], env: Record<string, string> = {}): { end: () => Promise<void>; said: () => string } {
    const child = spawn('ip', ['netns', 'exec', this.ns(name), ...command], {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, ...env },
    });
    this.running.add(child);
    let said = '';
    for (const s of [child.stdout, child.stderr])
      s.on('data', (d) => {
        said = (said + d).slice(-20_000);
      });
    const ended = new Promise<void>((done) => child.once('exit', () => done()));
    return {
      said: () => said,
      end: async () => {
        child.kill('SIGKILL');
        await ended;
        this.running.delete(child);
      },
    };
  }
  close(): void {
    for (const c of this.running) c.kill('SIGKILL');
    for (const name of this.names.reverse()) spawnSync('ip', ['netns', 'del', this.ns(name)]);
  }
}
