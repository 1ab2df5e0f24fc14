import { appendFileSync, chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
// Plain Node, as the start commands use it.
// @ts-expect-error it has no types
import { programOf } from '../../../scripts/lib/bundle.mjs';
// @ts-expect-error it has no types
import { createDatabase, startPostgres } from '../../../scripts/lib/postgres.mjs';
import { eventually } from './installation.ts';
import { Rooms } from './rooms.ts';

type Said = { what: 'ready' | 'taken' | 'let go'; at: number };
interface Postgres {
  port: number;
  url: (database: string) => string;
  stop: () => Promise<void>;
  dir: string;
  bin: string;
}

/**
 * Two workers and their PostgreSQL, each on a machine of its own, and one job that lasts:
 *
 *     first 10.66.4.1 ── switch ── second 10.66.4.2
 *                          │
 *                 database 10.66.4.9
 */
export class TwoWorkers {
  private readonly rooms = new Rooms();
  private readonly dir = mkdtempSync(join(tmpdir(), 'two-workers-'));
  private readonly running = new Map<string, ReturnType<Rooms['start']>>();
  private stored = '';
  private url = '';

  async open(): Promise<this> {
    chmodSync(this.dir, 0o755);
    // Set up as for everybody else, then started again where its network is.
    const pg = (await startPostgres(join(this.dir, 'postgres'), 0, { lasting: false })) as Postgres;
    createDatabase(pg, 'praesidor');
    await pg.stop();
    this.stored = pg.dir;
    appendFileSync(join(pg.dir, 'data/pg_hba.conf'), 'host all all 10.66.4.0/24 scram-sha-256\n');
    this.rooms.open();
    this.rooms.add('database', 'lan', '10.66.4.9/24');
    this.rooms.add('first', 'lan', '10.66.4.1/24');
    this.rooms.add('second', 'lan', '10.66.4.2/24');
    const u = new URL(pg.url('praesidor'));
    u.hostname = '10.66.4.9';
    u.port = '5432';
    this.url = String(u);
    this.rooms.start('database', [
      ...['setpriv', '--reuid=postgres', '--regid=postgres', '--clear-groups', join(pg.bin, 'postgres')],
      ...[
        '-D',
        join(pg.dir, 'data'),
        '-p',
        '5432',
        '-c',
        'listen_addresses=*',
        '-c',
        'unix_socket_directories=',
        '-c',
        'fsync=off',
      ],
    ]);
    await eventually(
      async () => (await this.rooms.run('database', [join(pg.bin, 'pg_isready'), '-h', '10.66.4.9', '-p', '5432'])).code === 0,
      'PostgreSQL answers in its room',
    );
    return this;
  }

  /** Begins a worker, or begins it anew. */
  async begin(name: 'first' | 'second', ask = false): Promise<void> {
    const program = (await programOf('apps/server/test/worker-in-room.ts')) as string[];
    this.running.set(
      name,
      this.rooms.start(name, [process.execPath, ...program, this.url, join(this.dir, 'data'), ...(ask ? ['ask'] : [])]),
    );
    await eventually(
      async () => this.when(name, 'ready'),
      () => `${name} to be ready; it says ${this.running.get(name)?.said().slice(-1500)}`,
    );
  }

  /** When a worker said something last, in milliseconds; undefined: never. */
  when = (name: string, what: Said['what']): number | undefined =>
    (this.running.get(name)?.said() ?? '')
      .split('\n')
      .filter((l) => l.startsWith('{"what"'))
      .map((l) => JSON.parse(l) as Said)
      .filter((s) => s.what === what)
      .at(-1)?.at;

  /** Takes the power of a machine, as far as everybody else can tell; what runs in it sees that its network is gone. Answers when. */
  cut(name: string): number {
    this.rooms.cut(name, 'lan');
    return Date.now();
  }
  plug = (name: string) => this.rooms.plug(name, 'lan');
  /** Ends the process of a worker with -9. Answers when. */
  async kill(name: string): Promise<number> {
    const at = Date.now();
    await this.running.get(name)?.end();
    return at;
  }

  close(): void {
    this.rooms.close();
    if (this.stored) rmSync(this.stored, { recursive: true, force: true });
    rmSync(this.dir, { recursive: true, force: true });
  }
}
