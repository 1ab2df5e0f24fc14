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
  /** The port of the switch that an adapter hangs on. */
  private readonly ports = new Map<string, { port: string; bridge: string }>();
  private readonly running = new Set<ChildProcess>();
  private readonly ns = (name: string) => `${this.prefix}-${name}`;

  private ip(...args: string[]): void {
    const r = spawnSync('ip', args, { encoding: 'utf8' });
    if (r.status !== 0) throw new Error(`ip ${args.join(' ')}: ${r.stderr}`);
  }
  open(): this {
    this.ip('netns', 'add', this.ns('switch'));
    this.names.push('switch');
    return this.bridge('br0');
  }
  /** A further network beside the first, which is `br0`. */
  bridge(name: string): this {
    this.ip('-n', this.ns('switch'), 'link', 'add', name, 'type', 'bridge');
    this.ip('-n', this.ns('switch'), 'link', 'set', name, 'up');
    return this;
  }
  /** A machine with one adapter; a machine that is there gets another one. */
  add(name: string, nic: string, address: string, bridge = 'br0'): void {
    const port = `p${this.ports.size}`;
    if (!this.names.includes(name)) {
      this.ip('netns', 'add', this.ns(name));
      this.names.push(name);
      this.ip('-n', this.ns(name), 'link', 'set', 'lo', 'up');
    }
    this.ports.set(`${name} ${nic}`, { port, bridge });
    this.ip('-n', this.ns('switch'), 'link', 'add', port, 'type', 'veth', 'peer', 'name', nic, 'netns', this.ns(name));
    this.ip('-n', this.ns('switch'), 'link', 'set', port, 'master', bridge, 'up');
    // An address of IPv6 is there at once: nobody else has it (RFC 4862 §5.4 is left out).
    this.ip('-n', this.ns(name), 'addr', 'add', address, 'dev', nic, ...(address.includes(':') ? ['nodad'] : []));
    this.ip('-n', this.ns(name), 'link', 'set', nic, 'up');
  }
  /** Takes a machine off its network, as a power cut does: nobody is told. */
  cut(name: string, nic: string): void {
    this.ip('-n', this.ns('switch'), 'link', 'set', this.ports.get(`${name} ${nic}`)?.port ?? '', 'nomaster');
  }
  /** Puts it back. */
  plug(name: string, nic: string): void {
    const at = this.ports.get(`${name} ${nic}`);
    this.ip('-n', this.ns('switch'), 'link', 'set', at?.port ?? '', 'master', at?.bridge ?? '');
  }
  /** How a program is begun in a machine: the words before it. */
  inside = (name: string): string[] => ['ip', 'netns', 'exec', this.ns(name)];
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
    for (const name of this.names.reverse()) {
      // What went into the background is ended as well.
      const left = spawnSync('ip', ['netns', 'pids', this.ns(name)], { encoding: 'utf8' }).stdout ?? '';
      for (const pid of left.split('\n').filter(Boolean)) process.kill(Number(pid), 'SIGKILL');
      spawnSync('ip', ['netns', 'del', this.ns(name)]);
    }
  }
}
