import { randomBytes } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { readdirSync, readFileSync } from 'node:fs';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { parse } from 'yaml';
import { type Doc, type Estate, keyOf, type Kind, kinds, readDocuments } from '@praesidor/core/model';
import { parseAddressMap } from '@praesidor/protocols/dial';
import { controlServer, type FaultKind, type Hardware, type Publication, World } from '@praesidor/standins';
import { readWorld } from '../../../packages/standins/src/read-world.ts';
import { keep } from '../src/areas/keyring/service.ts';
import { type Running, startServer } from '../src/app.ts';
import type { Config } from '../src/config.ts';
import { openDatabase } from '../src/db/data-source.ts';
import { putDoc, writeChanges } from '../src/estate/documents.ts';
import { setAccount } from '../src/setup/account.ts';

const root = join(import.meta.dirname, '../../..');
const roles = ['reader', 'planner', 'builder', 'warden'] as const;

/** How many images of a release that run anywhere in the cluster suites ship and pull: the whole has 83 of them. */
const few = 5;
/** A release with the images that every host needs, and few of the others. */
const short =
  (needs: readonly string[]) =>
  (doc: Doc): Doc => {
    if (doc.kind !== 'Release') return doc;
    let n = 0;
    return { ...doc, components: doc.components.filter((c) => c.on !== 'cluster' || n++ < few || needs.includes(c.name)) };
  };

/** A private database on the tests' own PostgreSQL, which `npm test` starts. */
export async function privateDatabase(): Promise<{ url: string; drop: () => Promise<void> }> {
  const base = process.env.TEST_DATABASE_URL;
  if (!base) throw new Error('TEST_DATABASE_URL is not set: start the tests with npm test');
  const name = `t_${randomBytes(6).toString('hex')}`;
  const admin = async (sql: string) => {
    const c = new pg.Client({ connectionString: base });
    await c.connect();
    try {
      await c.query(sql);
    } finally {
      await c.end();
    }
  };
  await admin(`create database ${name}`);
  return { url: base.replace(/\/[^/]*$/, `/${name}`), drop: () => admin(`drop database if exists ${name} with (force)`) };
}

const free = (host: string, port: number) =>
  new Promise<boolean>((done) => {
    const s = createServer();
    s.once('error', () => done(false));
    s.listen(port, host, () => s.close(() => done(true)));
  });
/**
 * To look whether a port is free and then to take it leaves a moment in which another suite finds the same one. So each number is held by a listener at an address
 * that nothing else is at, for as long as its suite has it; undefined when another suite has it.
 */
const hold = (port: number) =>
  new Promise<{ giveBack: () => void } | undefined>((done) => {
    const s = createServer().unref();
    s.once('error', () => done(undefined));
    s.listen(port, '127.62.255.1', () => done({ giveBack: () => s.close() }));
  });
/** A port that stays free for whoever is stopped and started again at it: none of those that outgoing connections are given (32768 and above). */
export async function freePort(): Promise<number> {
  for (;;) {
    const port = 27_000 + Math.floor(Math.random() * 5600);
    if ((await free('127.0.0.1', port)) && (await hold(port))) return port;
  }
}
/** By how much the ports of a suite's devices are moved. */
async function takeShift(): Promise<{ shift: number; giveBack: () => void }> {
  for (;;) {
    const shift = 10_000 + 200 * Math.floor(Math.random() * 200);
    const held = await hold(shift);
    if (!held) continue;
    if (
      (await free('127.62.8.53', 53 + shift)) &&
      (await free('127.62.8.20', 6443 + shift)) &&
      (await free('127.62.7.12', 443 + shift)) &&
      (await freeDatagrams('127.62.8.60', 123 + shift))
    )
      return { shift, giveBack: held.giveBack };
    held.giveBack();
  }
}
const freeDatagrams = (host: string, port: number) =>
  new Promise<boolean>((done) => {
    const s = createSocket('udp4');
    s.once('error', () => done(false));
    s.bind(port, host, () => s.close(() => done(true)));
  });

/** A server over a database and a folder, with nothing declared and nobody outside. */
export async function bareServer(databaseUrl: string, dataDir: string): Promise<Running> {
  const port = await freePort();
  return startServer({
    databaseUrl,
    port,
    host: '127.0.0.1',
    publicUrl: `http://127.0.0.1:${port}`,
    dataDir,
    pxeProgram: '/nowhere',
    keyringKey: Buffer.alloc(32, 7),
    addressMap: [],
    alsoReach: [],
    trustProxy: [],
    timeoutSeconds: 15,
    watch: 3600,
    secureCookies: false,
    checkAnswers: true,
    logLevel: 'silent',
  });
}

/** The demonstration, for one suite: stand-ins, database, server, and a client for each role. */
export class Installation {
  world!: World;
  running!: Running;
  config!: Config;
  private readonly dir = mkdtempSync(join(tmpdir(), 'praesidor-'));
  private database!: Awaited<ReturnType<typeof privateDatabase>>;
  private control!: ReturnType<typeof controlServer>;
  private readonly clients = new Map<string, Client>();
  private giveShiftBack: (() => void) | undefined;
  /** It stands in the world of another one. */
  private guest = false;
  readonly password = randomBytes(8).toString('hex');

  async start({
    speed = 2000,
    timeoutSeconds = 15,
    serve = true,
    also = [],
    bare = false,
    empty = false,
    whole = false,
    needs = [],
    watch = 3600,
    machines = [],
    database,
    settings = {},
    before,
    beside,
  }: {
    speed?: number;
    timeoutSeconds?: number;
    serve?: boolean;
    also?: Publication[];
    /** Nothing declared: accounts only. */
    bare?: boolean;
    /** Nothing at all but accounts: no keyring either. */
    empty?: boolean;
    /** Releases with all of their images, as the demonstration has them. */
    whole?: boolean;
    /** Programs of releases that the suite needs besides. */
    needs?: readonly string[];
    /** Seconds between looks at the outside. */
    watch?: number;
    /** Machines that stand there besides those of the demonstration. */
    machines?: Hardware[];
    /** A database of the suite’s own, instead of one of the tests’ PostgreSQL. */
    database?: { url: string; drop: () => Promise<void> };
    /** Settings of the server other than those of the tests. */
    settings?: Partial<Config>;
    /** Told by how much ports of devices are moved, before anything listens. */
    before?: (shift: number) => void;
    /** Another installation: this one stands in the same world, which is the other one’s to end. */
    beside?: Installation;
  } = {}): Promise<this> {
    const taken = beside ? undefined : await takeShift();
    this.giveShiftBack = taken?.giveBack;
    if (taken) before?.(taken.shift);
    const addressMap = beside ? beside.config.addressMap : parseAddressMap(`10.0.0.0/8=127.0.0.0/8+${taken?.shift}`);
    const spec = readWorld(
      join(root, empty ? 'demo/empty/world.yaml' : 'demo/world.yaml'),
      join(root, 'demo/estate'),
      whole ? undefined : short(needs),
    );
    spec.registries.find((r) => r.name === 'upstream')?.publications.push(...also);
    spec.machines.push(...machines);
    this.world = beside?.world ?? (await new World(spec, join(this.dir, 'world'), addressMap, speed).start());
    this.guest = beside !== undefined;
    this.control = controlServer(this.world);
    await new Promise<void>((done) => {
      this.control.listen(0, '127.0.0.1', done);
    });
    this.database = database ?? (await privateDatabase());
    const port = await freePort();
    this.config = {
      databaseUrl: this.database.url,
      port,
      host: '127.0.0.1',
      publicUrl: `http://127.0.0.1:${port}`,
      dataDir: join(this.dir, 'data'),
      pxeProgram: '/nowhere',
      webDir: join(root, 'apps/web/dist'),
      keyringKey: randomBytes(32),
      addressMap,
      alsoReach: [],
      trustProxy: [],
      provingUrl: `http://127.0.0.1:${(this.control.address() as { port: number }).port}`,
      timeoutSeconds,
      watch,
      secureCookies: false,
      checkAnswers: true,
      logLevel: 'silent',
      ...settings,
    };
    await this.load(bare || empty, empty, whole ? (doc) => doc : short(needs));
    if (serve) this.running = await startServer(this.config);
    return this;
  }

  /** For a server in a process of its own: what it is told, as environment. */
  env(): Record<string, string> {
    const c = this.config;
    const d = c.addressMap[0];
    return {
      DATABASE_URL: c.databaseUrl,
      PORT: String(c.port),
      PRAESIDOR_URL: c.publicUrl,
      PRAESIDOR_KEY: c.keyringKey.toString('hex'),
      PRAESIDOR_DATA: c.dataDir,
      PRAESIDOR_ADDRESS_MAP: `10.0.0.0/8=127.0.0.0/8+${d?.portShift ?? 0}`,
      PROVING_URL: c.provingUrl ?? '',
      PRAESIDOR_TIMEOUT: String(c.timeoutSeconds),
      PRAESIDOR_WATCH: String(c.watch),
      LOG_LEVEL: 'silent',
    };
  }

  private async load(bare: boolean, empty: boolean, as: (doc: Doc) => Doc): Promise<void> {
    const db = await openDatabase(this.config.databaseUrl);
    const docs = readdirSync(join(root, 'demo/estate'))
      .sort()
      .flatMap((f) => readDocuments(readFileSync(join(root, 'demo/estate', f), 'utf8'), f).docs.map((d) => as(d.doc)));
    await db.transaction(async (m) => {
      for (const kind of Object.keys(kinds) as Kind[])
        for (const doc of docs)
          if (doc.kind === kind && !bare) {
            const ca =
              doc.kind === 'Registry' || doc.kind === 'Hypervisor' || doc.kind === 'BackupStore'
                ? this.world.authorities.get(doc.kind === 'Registry' && doc.role === 'source' ? doc.name : doc.site)?.cert
                : undefined;
            await putDoc(m, ca ? ({ ...doc, ca } as typeof doc) : doc, 'load');
          }
      for (const e of empty ? [] : (parse(readFileSync(join(root, 'demo/keyring.yaml'), 'utf8')) as never[]))
        await keep(this.config, m, e, 'load');
      for (const role of roles) await setAccount(m, { login: role, name: role, role, password: this.password });
      // Everybody is in every team: suites about teams say who is in which.
      await m.query('insert into account_team (login, team) select a.login, t.key from account a, team t');
    });
    await db.destroy();
  }

  async as(role: (typeof roles)[number]): Promise<Client> {
    let c = this.clients.get(role);
    if (!c) {
      // What people's TLS is in front of stays plain behind it.
      const { publicUrl, port } = this.config;
      c = new Client(publicUrl.startsWith('https:') ? `http://127.0.0.1:${port}` : publicUrl);
      await c.signIn(role, this.password);
      this.clients.set(role, c);
    }
    return c;
  }

  /** One statement on a connection of its own. */
  async query<T>(sql: string, values: unknown[] = []): Promise<T[]> {
    const client = new pg.Client({ connectionString: this.database.url });
    await client.connect();
    try {
      return (await client.query(sql, values)).rows as T[];
    } finally {
      await client.end();
    }
  }

  /** Documents declared without a door, in one transaction: for what no person could say, and for very many. */
  declare = (docs: readonly Doc[]): Promise<void> =>
    this.running.ctx.db.transaction((m) =>
      writeChanges(
        m,
        docs.map((doc) => ({ kind: doc.kind, key: keyOf(doc), before: null, after: doc })),
        'test',
        '',
      ),
    );

  /** Restarts the server over the same database, as after an update. */
  async restart(): Promise<void> {
    await this.running?.close();
    this.running = await startServer(this.config);
  }

  plant = (kind: FaultKind, subject: string) => this.world.faults.plant({ kind, subject });
  lift = (kind: FaultKind, subject: string) => this.world.faults.lift({ kind, subject });

  async stop(): Promise<void> {
    await this.running?.close();
    if (this.control) await new Promise((done) => this.control.close(done));
    if (!this.guest) await this.world?.close();
    this.giveShiftBack?.();
    await this.database?.drop();
    rmSync(this.dir, { recursive: true, force: true });
  }
}

export interface Answer<T> {
  status: number;
  body: T & { code?: string; message?: string; remedy?: string; places?: { path?: string; message: string }[] };
}

export class Client {
  cookie = '';
  csrf = '';
  constructor(readonly url: string) {}
  async call<T = Record<string, never>>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    const r = await fetch(this.url + path, {
      method,
      headers: {
        cookie: this.cookie,
        'x-csrf-token': this.csrf,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const set = r.headers.get('set-cookie');
    if (set) this.cookie = set.split(';')[0] as string;
    const text = await r.text();
    let json: unknown;
    try {
      json = JSON.parse(text);
    } catch {
      json = { text };
    }
    return { status: r.status, body: json as Answer<T>['body'] };
  }

  /** The body of an answer that must be good. */
  async good<T = Record<string, never>>(method: string, path: string, body?: unknown): Promise<T> {
    const a = await this.call<T>(method, path, body);
    if (a.status >= 400) throw new Error(`${method} ${path}: ${a.status} ${JSON.stringify(a.body).slice(0, 400)}`);
    return a.body;
  }

  async signIn(login: string, password: string): Promise<number> {
    const a = await this.call<{ csrf: string }>('POST', '/api/sign-in', { login, password });
    this.csrf = a.body.csrf ?? '';
    return a.status;
  }

  estate = async () => (await this.good<{ estate: Estate }>('GET', '/api/estate')).estate;
}

/** Milliseconds after which something that was waited for is said never to come: far more than it takes on a machine with much else to do. */
const patience = Number(process.env.TEST_PATIENCE ?? 400_000);
/** Waits on a condition. */
export async function eventually<T>(
  ask: () => Promise<T | undefined | false>,
  what: string | (() => string),
  ms = patience,
): Promise<T> {
  const end = Date.now() + ms;
  let wait = 25;
  for (;;) {
    const answer = await ask();
    if (answer) return answer;
    if (Date.now() > end) throw new Error(`never came to be: ${typeof what === 'string' ? what : what()}`);
    await new Promise((done) => setTimeout(done, wait));
    // Asked at once, then less and less often: who asks all the time holds up what is asked for.
    wait = Math.min(200, wait * 1.3);
  }
}

/** An add-on of six images and 2.4 MB: what has to move in tests that are not about size. */
export const smallPublications: Publication[] = Array.from({ length: 6 }, (_, k) => ({
  image: `images.upstream.example/addons/small-${k}:1`,
  layers: Array.from({ length: 4 }, (_, l) => ({ key: `small ${k} ${l}`, declaredBytes: 2e8 })),
}));
export async function declareSmall(c: Client): Promise<void> {
  const components = smallPublications.map((p, k) => `  - {name: small-${k}, image: '${p.image}', on: worker}`).join('\n');
  const head = "apiVersion: praesidor/v1\nkind: Addon\nname: small\ntitle: small\nversion: '1'\nsource: upstream\ncomponents:\n";
  await c.good('POST', '/api/import', { text: `${head}${components}\n` });
}

interface BuildAnswer {
  steps: { id: string; kind: string; host?: string }[];
  status: {
    state: string;
    steps: Record<
      string,
      {
        state: string;
        text?: string;
        remedy?: string;
        code?: string;
        attempt: number;
        healed: string[];
        started?: string;
        ended?: string;
      }
    >;
  };
  proof: { what: string; good: boolean; planned: string; found: string }[] | null;
}
export const buildOf = (c: Client, number = 1, charter = 'plover') =>
  c.good<BuildAnswer>('GET', `/api/builds/${charter}/${number}`);
export const builtOrBroken = (c: Client, number = 1, charter = 'plover') => {
  let last: BuildAnswer | undefined;
  return eventually(
    async () => {
      last = await buildOf(c, number, charter);
      return ['done', 'failed'].includes(last.status.state) && last;
    },
    () => `the end of build ${number}, ${last?.status.state ?? 'not seen'}: ${last && underWay(last)}`,
  );
};
/** What holds a build up, for whoever reads that it did not end. */
const underWay = ({ status }: BuildAnswer): string =>
  Object.entries(status.steps)
    .filter(([, s]) => !['done', 'pending'].includes(s.state))
    .map(([id, s]) => `${id} ${s.state} since ${s.started}, attempt ${s.attempt}${s.text ? `: ${s.text}` : ''}`)
    .join('; ');

/** From an empty room to a charter that nothing stops: what Next moves asks for, over the API. `under`: where its mirror keeps images. */
export async function prepare(warden: Client, under?: string): Promise<void> {
  await eventually(async () => {
    const e = await warden.estate();
    return ['1.34.2', 'log-shipper', 'inbound-router'].every((n) => e.observed.bills[n]) && e.observed.registries['lr-registry'];
  }, 'bills and registries looked at');
  await listed(warden);
  await warden.good('POST', '/api/edits', {
    why: 'settled',
    edits: [
      { op: 'set', kind: 'Charter', key: 'plover', path: ['servicePool', 'range'], value: '10.62.8.64-10.62.8.79' },
      { op: 'set', kind: 'Charter', key: 'plover', path: ['overlay', 'mtu'] },
      ...(under
        ? [
            {
              op: 'set',
              kind: 'Registry',
              key: 'lr-registry',
              path: ['keeps'],
              value: [{ source: 'images.upstream.example', under }],
            },
          ]
        : []),
    ],
  });
  await shipped(warden, ['1.34.2', 'inbound-router', 'log-shipper']);
}
/** Machines that nobody has listed at Lantern Rock are found, their certificates accepted, and taken into the estate. */
export async function listed(warden: Client): Promise<void> {
  await warden.good('POST', '/api/hosts/sweep', { site: 'lr', range: '10.62.7.10-10.62.7.20' });
  const seen = await eventually(async () => {
    const s = (await warden.estate()).observed.sightings;
    return s.length === 7 && s;
  }, 'seven sightings');
  await warden.good('POST', '/api/hosts/accept', {
    credential: 'bmc-lr',
    addresses: seen.map((s) => ({ address: s.address, fingerprint: s.fingerprint })),
  });
  await warden.good('POST', '/api/hosts/list', { credential: 'bmc-lr', hosts: seen.map((s) => ({ address: s.address })) });
}
/** What bills have is brought to the registry of Lantern Rock. */
export async function shipped(c: Client, bills: string[]): Promise<void> {
  const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', { target: 'lr-registry', bills });
  for (const state of ['packed', 'landed']) {
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(c, shipment.label, state);
  }
}

export interface ShipmentAnswer {
  label: string;
  state: string;
  bytes: number;
  movedBytes: number;
  resumed: number;
  wrong: string[];
  startedAt: string | null;
  endedAt: string | null;
  error: string | null;
}
export const shipmentIn = (c: Client, label: string, state: string) => {
  let last: ShipmentAnswer | undefined;
  return eventually(
    async () => {
      last = (await c.good<{ shipments: ShipmentAnswer[] }>('GET', '/api/shipments')).shipments.find((x) => x.label === label);
      if (last?.state === 'failed' && state !== 'failed') throw new Error(`${label} broke: ${last.error}`);
      return last?.state === state && last;
    },
    () => `${label} ${state}; it is ${JSON.stringify(last)}`,
  );
};
