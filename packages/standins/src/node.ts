import { createHash } from 'node:crypto';
import { parse as parseToml } from 'smol-toml';
import { parse as parseYaml } from 'yaml';
import { parseReference } from '@praesidor/core/images';
import { anywhere, mapAddress, Dialer, Exits, ProtocolError } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import { paperSize } from '@praesidor/protocols/oci';
import { ask, authoritiesIn } from './ask.ts';
import { type Disk, fileSystemAt, layOut, NotEmpty, rowsOf } from './disks.ts';
import { readEnvironment } from './environment.ts';
import { httpBoot, unified } from './firmware.ts';
import { forgets } from './folders.ts';
import type { Machine } from './machine.ts';
import { configuredMacs, networkOf } from './networkd.ts';
import type { Login } from './login.ts';
import { dataOn, httpDrive, programOn } from './media.ts';
import { openLogin } from './put.ts';

/** What runs on a machine after its first-boot data were applied. A machine's root lies in memory, a guest's on its first volume. */
export interface Installed {
  base: string;
  host: string;
  address: string;
  nameservers: string[];
  files: Record<string, string>;
  /** What is kept in memory, for want of a disk. */
  pulled: string[];
  joined: boolean;
  /** Authorities that the system has besides the public ones. */
  trust: string[];
  /** Who may log in. */
  login?: Login;
}
const joinedFile = '/var/lib/praesidor/joined';
/** Images that the runtime has: on the disk that it keeps them on. */
const imagesIn = (m: Machine, me: Installed): string[] =>
  fileSystemAt(m.disks, me.files, '/var/lib/containerd')?.images ?? me.pulled;
/** Their names, without the layers. */
export const imageNames = (m: Machine, me: Installed): string[] => imagesIn(m, me).map((p) => p.split(' ')[0] as string);
export const imagesOn = (m: Machine): number =>
  m.installed
    ? imagesIn(m, m.installed).length
    : [...m.disks.values()].flatMap((d) => d.systems).reduce((n, s) => n + s.images.length, 0);
/** What the boot script writes down when it has joined, and looks for before it does. */
const joinedAs = (me: Installed): string =>
  /^echo '?([^'\n]*?)'? > \/var\/lib\/praesidor\/joined$/m.exec(me.files['/usr/local/sbin/praesidor-boot'] ?? '')?.[1] ?? '';
const hasJoined = (m: Machine, me: Installed): boolean => {
  const kept = fileSystemAt(m.disks, me.files, joinedFile);
  // The script knows the kit that it joined with.
  const own = joinedAs(me);
  return kept ? kept.files[joinedFile]?.trim() === own : me.joined;
};

/**
 * A machine from power-on to a running kubelet, as its boot kit says: firmware fetches a program from the boot source, or finds
 * one on a disk; first-boot data come from where its command line points, images through the mirror configuration given.
 */
export async function runNode(m: Machine, signal: AbortSignal): Promise<void> {
  m.at('post');
  await m.clock.sleep(60, signal);
  if (m.faults.has('node-never-boots', m.hardware.name)) return;
  const { bootUri: uri, bootTarget: target, media } = m;
  if (target !== 'None' && !m.bootAlways) m.setBoot('None');
  if (uri) m.installed = await firstBoot(m, await networkBoot(m, uri, signal), signal);
  else if (target === 'Cd' && media) m.installed = await firstBoot(m, await mediaBoot(m, media, signal), signal);
  else if (m.seed) {
    if (m.installed?.base !== m.seed.replace(/\/$/, ''))
      m.installed = await firstBoot(m, await overHttp(m, m.seed.replace(/\/$/, ''), signal, []), signal);
  } else {
    const start = m.serials.map((s) => m.disks.get(s)?.start).find((s) => s !== undefined);
    if (start) m.installed = await firstBoot(m, fromDisk(start), signal);
  }
  if (!m.installed) return;
  const me = m.installed;
  openLogin(m, me, signal);
  // The script on its disk knows one address: that of its environment file.
  const { BOOT = '' } = readEnvironment(me.files['/etc/praesidor/boot.env'] ?? '');
  const report = reporter(m, `${BOOT}/report`, signal, me.trust, 'application/json');
  const before = hasJoined(m, me);
  if (!before) {
    m.at('images');
    for (;;) {
      try {
        await pullAll(m, me, report, signal);
        break;
      } catch (cause) {
        if (signal.aborted) throw cause;
        // Its unit is started again half a minute after it failed (systemd: Restart=on-failure).
        await m.clock.sleep(30, signal);
        await new Promise((r) => setTimeout(r, 50));
      }
    }
    m.at('waiting');
    while (!(await gateOpen(BOOT, signal, me.trust))) await m.clock.sleep(5, signal);
    const kept = fileSystemAt(m.disks, me.files, joinedFile);
    if (kept) kept.files[joinedFile] = joinedAs(me);
    me.joined = true;
  }
  const lacks = lacksFor(me, imagesIn(m, me));
  if (lacks) {
    await report('join', 'start', 'WARN', lacks);
    return;
  }
  await m.clock.sleep(45, signal);
  m.at('joined');
  m.around.cluster.joined(m, me);
  if (!before) await report('join', 'start', 'SUCCESS', 'kubelet started');
}

async function fetchText(url: string, signal: AbortSignal, trust: string[]): Promise<string> {
  const r = await ask(url, { signal, trust });
  if (!r.ok) throw new Error(`${url} answered ${r.status}`);
  return r.text();
}

const gateOpen = (base: string, signal: AbortSignal, trust: string[]) =>
  ask(`${base}/gate/join`, { signal, trust })
    .then((r) => {
      void r.body?.cancel();
      return r.ok;
    })
    .catch((e: unknown) => {
      if (signal.aborted) throw e;
      return false;
    });

type Report = (
  name: string,
  event: 'start' | 'progress' | 'finish',
  result: 'SUCCESS' | 'WARN' | 'FAIL',
  description: string,
) => Promise<void>;
/** What curl tries again (its manual, --retry): the server is busy, or away for a while. Whatever else is answered is not. */
const passing = [408, 429, 500, 502, 503, 504];
/**
 * Five tries, two seconds apart, as the boot script has it; then the report is lost. cloud-init's own webhook names no content
 * type, the boot script does.
 */
const reporter =
  (m: Machine, url: string, signal: AbortSignal, trust: string[], type?: 'application/json'): Report =>
  async (name, event_type, result, description) => {
    for (let i = 0; i < 5; i++) {
      const sent = await ask(url, {
        trust,
        method: 'POST',
        ...(type ? { headers: { 'content-type': type } } : {}),
        // Bytes, since a text would be given a type on its way.
        body: Buffer.from(JSON.stringify({ name, event_type, result, description, origin: 'node' })),
        signal,
      })
        .then(async (r) => {
          await r.body?.cancel();
          return !passing.includes(r.status);
        })
        .catch(() => false);
      if (sent || signal.aborted) return;
      await m.clock.sleep(2, signal).catch(() => undefined);
    }
  };

interface UserData {
  hostname: string;
  users?: { name: string; sudo?: string; ssh_authorized_keys?: string[] }[];
  ssh_keys?: { ed25519_private?: string };
  write_files: { path: string; content: string }[];
  runcmd?: unknown[][];
  reporting?: { praesidor: { endpoint: string } };
  phone_home?: { url: string };
}
/** First-boot data, and where they came from: `network` is where a machine may still lay out its disks. */
interface Seed {
  base: string;
  from: 'network' | 'disk';
  /** Read from something in the machine: cloud-init then sets the network up by the configuration beside them. */
  local?: boolean;
  data: Record<string, string>;
  /** Authorities of the system that reads it. */
  trust: string[];
}

/** Why the kubelet of this machine starts nothing: the runtime cannot make a sandbox. Undefined: it can. */
function lacksFor(me: Installed, pulled: readonly string[]): string | undefined {
  type Runtime = { sandbox_image?: string; containerd?: { runtimes?: { runc?: { options?: { SystemdCgroup?: boolean } } } } };
  const config = parseToml(me.files['/etc/containerd/config.toml'] ?? '') as unknown as { plugins?: Record<string, Runtime> };
  const cri = config.plugins?.['io.containerd.grpc.v1.cri'];
  const sandbox = cri?.sandbox_image;
  if (!sandbox || !pulled.some((p) => p.split(' ')[0] === sandbox))
    return `no sandbox starts: ${sandbox ?? "the runtime's own sandbox image"} is not here, and nobody answers for it`;
  const systemd = /cgroupDriver: systemd/.test(me.files['/etc/kubernetes/kubelet.yaml'] ?? '');
  if (systemd !== (cri?.containerd?.runtimes?.runc?.options?.SystemdCgroup ?? false))
    return 'kubelet and runtime have different cgroup drivers';
  if (!/^ExecStart=\S*kubelet \$KUBELET_ARGS$/m.test(me.files['/etc/systemd/system/kubelet.service'] ?? ''))
    return 'Unit file kubelet.service does not exist';
  return undefined;
}

/** Boots what firmware is told to, and reads the first-boot data that the kernel's command line names. */
async function networkBoot(m: Machine, uri: string, signal: AbortSignal): Promise<Seed> {
  m.at('fetch');
  const { cmdline, initrd } = unified(await retry(m, signal, () => httpBoot(uri, signal, m.trusted.boot)));
  const seed = /(?:^| )ds=nocloud-net;s=(\S+)/.exec(cmdline)?.[1];
  if (!seed) throw new Error('the command line names no first-boot data');
  await m.clock.sleep(120, signal);
  return overHttp(m, seed.replace(/\/$/, ''), signal, authoritiesIn(initrd));
}
/** Starts from the medium that its controller plays, and finds its first-boot data there by the name of the volume. */
async function mediaBoot(m: Machine, image: string, signal: AbortSignal): Promise<Seed> {
  m.at('fetch');
  const read = await retry(m, signal, () => httpDrive(image, signal, m.trusted.verify ? m.trusted.media : 'anybody'));
  const { cmdline, initrd } = unified(await retry(m, signal, () => programOn(read)));
  const trust = authoritiesIn(initrd);
  await m.clock.sleep(120, signal);
  const data = await dataOn(read);
  if (!data || !/(?:^| )ds=nocloud( |$)/.test(cmdline)) throw new Error('nothing names its first-boot data');
  // The script that lays out disks asks this of the command line.
  const files = /(?:^| )praesidor\.files=(\S+)/.exec(cmdline)?.[1]?.replace(/\/$/, '');
  return files
    ? { base: files, from: 'network', data, local: true, trust }
    : { base: 'its medium', from: 'disk', data, local: true, trust };
}
/** Over HTTP, Debian's cloud-init asks for these three, and for no network configuration. */
async function overHttp(m: Machine, base: string, signal: AbortSignal, trust: string[]): Promise<Seed> {
  const data: Record<string, string> = {};
  for (const name of ['user-data', 'meta-data', 'vendor-data'])
    data[name] = await retry(m, signal, () => fetchText(`${base}/${name}`, signal, trust));
  return { base, from: 'network', data, trust };
}
/** From the partition that cloud-init finds by its label, where the command line says that one is to be looked for. */
function fromDisk({ cmdline, data, trust }: NonNullable<Disk['start']>): Seed {
  if (!/(?:^| )ds=nocloud( |$)/.test(cmdline)) throw new Error('the command line names no first-boot data');
  return { base: 'its disk', from: 'disk', data, local: true, trust };
}

async function firstBoot(m: Machine, seed: Seed, signal: AbortSignal): Promise<Installed> {
  m.at('system');
  const read = (name: string) => (parseYaml(seed.data[name] ?? '') ?? {}) as Partial<UserData>;
  // What user-data says goes before what vendor-data says.
  const user = { ...read('vendor-data'), ...read('user-data') } as UserData;
  // Until its first-boot data is read, a machine has nobody to report to.
  if (seed.local && !configuredMacs(seed.data['network-config'] ?? '').some((mac) => m.hardware.macs.includes(mac)))
    throw new Error('no network: its configuration names none of its adapters');
  const report: Report = user.reporting
    ? reporter(m, user.reporting.praesidor.endpoint, signal, seed.trust)
    : async () => undefined;
  await report('system', 'progress', 'SUCCESS', 'first-boot data read');
  const files = Object.fromEntries(user.write_files.map((f) => [f.path, f.content]));
  // What the machine has after its first boot is what lies in its files, put in force by what user-data runs.
  const card = networkOf(files);
  const runs = files[String(user.runcmd?.flat().find((c) => String(c).endsWith('praesidor-prepare')))];
  const here = card?.macs.filter((mac) => m.hardware.macs.includes(mac)) ?? [];
  if (!card || !runs || !here.length) {
    await report(
      'system',
      'finish',
      'FAIL',
      card
        ? runs
          ? `no adapter with ${card.macs.join(' or ')}`
          : 'nothing puts the network in force'
        : 'no network configuration was found',
    );
    throw new Error('no network');
  }
  const { address } = card;
  await m.clock.sleep(60, signal);
  await report('system', 'progress', 'SUCCESS', `${address} on ${here.join(' and ')}`);
  if (/^praesidor-disks$/m.test(runs)) await layOutDisks(m, seed, files, signal);
  await m.clock.sleep(240, signal);
  await report('system', 'progress', 'SUCCESS', `${user.write_files.length} files written`);
  await m.clock.sleep(60, signal);
  const home = user.phone_home?.url;
  if (home)
    await retry(m, signal, () =>
      ask(home, {
        trust: seed.trust,
        method: 'POST',
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
        body: new URLSearchParams({ instance_id: `${user.hostname}`, hostname: user.hostname }),
        signal,
      }).then((r) => r.body?.cancel()),
    ).catch(() => undefined);
  await report('system', 'finish', 'SUCCESS', 'first boot done');
  if (!/^systemctl start .*praesidor-boot\.service$/m.test(runs)) throw new Error('nothing starts the boot script');
  return {
    base: seed.base,
    host: user.hostname,
    address,
    nameservers: card.nameservers,
    files,
    pulled: [],
    joined: false,
    trust: seed.trust,
    ...(user.ssh_keys?.ed25519_private
      ? {
          login: {
            hostKey: user.ssh_keys.ed25519_private,
            accounts: (user.users ?? []).map((u) => ({ name: u.name, keys: u.ssh_authorized_keys ?? [], sudo: u.sudo ?? '' })),
          },
        }
      : {}),
  };
}

/** What the script in its files calls a disk that is not empty: the word after what it says. */
const nameOfNotEmpty = (files: Record<string, string>): string =>
  /^ *\[.*stop "[^"]*is not empty[^"]*" ?(\S*)$/m.exec(files['/usr/local/sbin/praesidor-disks'] ?? '')?.[1] || 'disks';

/** Disks as the script in its files lays them out; what it starts from later is written to the first. */
async function layOutDisks(m: Machine, seed: Seed, files: Record<string, string>, signal: AbortSignal): Promise<void> {
  const { BOOT = '', ERASE } = readEnvironment(files['/etc/praesidor/boot.env'] ?? '');
  const report = reporter(m, `${BOOT}/report`, signal, seed.trust, 'application/json');
  if (m.faults.has('disk-not-empty', m.hardware.name)) {
    m.faults.lift({ kind: 'disk-not-empty', subject: m.hardware.name });
    const last = m.serials.at(-1);
    if (last)
      m.disks.set(last, { table: 'of somebody else', systems: [{ uuid: '1', files: { label: 'ext4 archive' }, images: [] }] });
  }
  const network = seed.from === 'network';
  try {
    for (const text of layOut(m.disks, m.serials, files, { layOut: network, erase: ERASE === 'yes' }, (d) => forgets(m, d)))
      if (network) await report('disks', 'progress', 'SUCCESS', text);
  } catch (e) {
    await report(e instanceof NotEmpty ? nameOfNotEmpty(files) : 'disks', 'finish', 'FAIL', (e as Error).message);
    throw e;
  }
  const system = rowsOf(files).find((r) => r.use === 'system');
  const disk = system && [...m.disks.values()].find((d) => d.table === system.table);
  if (disk && network) {
    const { cmdline, initrd } = unified(await retry(m, signal, () => httpBoot(`${seed.base}/disk.efi`, signal, seed.trust)));
    const data = Object.fromEntries(
      await Promise.all(
        ['user-data', 'meta-data', 'network-config'].map(
          async (n) => [n, await fetchText(`${seed.base}/${n}`, signal, seed.trust)] as const,
        ),
      ),
    );
    disk.start = { cmdline, data, trust: authoritiesIn(initrd) };
  }
  if (network) await report('disks', 'finish', 'SUCCESS', 'laid out');
}

async function retry<T>(m: Machine, signal: AbortSignal, act: () => Promise<T>): Promise<T> {
  for (let i = 0; ; i++) {
    try {
      return await act();
    } catch (cause) {
      if (signal.aborted || i >= 20) throw cause;
      await m.clock.sleep(30, signal).catch((e) => {
        throw e;
      });
      await new Promise((r) => setTimeout(r, 50));
    }
  }
}

/** The way of a container runtime to registries: by the resolvers of its machine. */
function runtimeDialer(m: Machine, me: Installed): Dialer {
  const exits = new Exits(m.around.addressMap, anywhere);
  return new Dialer(
    exits,
    async (name) => {
      for (const server of me.nameservers) {
        const [a] = await lookup({ address: server, exits, purpose: 'resolver', timeoutMs: 1500 }, name, 'A').catch(() => []);
        if (a) return a;
      }
      throw new ProtocolError('missing', name, `no resolver knows it (asked ${me.nameservers.join(', ') || 'none'})`);
    },
    8,
    mapAddress(m.around.addressMap, me.address, 443).host,
  );
}

/** One image that a pod asks for, as the runtime pulls it then. @throws Error with why it could not */
export async function pullOne(m: Machine, me: Installed, image: string, signal: AbortSignal): Promise<void> {
  const dialer = runtimeDialer(m, me);
  const kept = imagesIn(m, me);
  try {
    const digests = await pullImage(m, me, dialer, image, new Set(kept.flatMap((p) => p.split(' ').slice(1))), signal);
    if (!imageNames(m, me).includes(image)) kept.push([image, ...digests].join(' '));
  } finally {
    await dialer.close();
  }
}

async function pullAll(m: Machine, me: Installed, report: Report, signal: AbortSignal): Promise<void> {
  const images = (me.files['/etc/praesidor/images.list'] ?? '').split('\n').filter(Boolean);
  await report('images', 'start', 'SUCCESS', `${images.length} images`);
  const dialer = runtimeDialer(m, me);
  const kept = imagesIn(m, me);
  const held = new Set(kept.flatMap((p) => p.split(' ').slice(1)));
  const done = new Set(kept.map((p) => p.split(' ')[0]));
  try {
    for (const [i, image] of images.entries()) {
      if (m.faults.has('node-dies-pulling', m.hardware.name) && i > images.length / 3) {
        m.faults.lift({ kind: 'node-dies-pulling', subject: m.hardware.name });
        m.powerOff();
        return await new Promise(() => undefined);
      }
      for (let tries = 1; ; tries++) {
        try {
          const digests = await pullImage(m, me, dialer, image, held, signal);
          // Of what it has already the runtime asks for the manifest alone.
          if (!done.has(image)) kept.push([image, ...digests].join(' '));
          break;
        } catch (cause) {
          if (signal.aborted) throw cause;
          const why = `${image}: ${(cause as Error).message}`;
          await report('images', tries < 5 ? 'progress' : 'finish', tries < 5 ? 'WARN' : 'FAIL', why);
          if (tries >= 5) throw cause;
          await m.clock.sleep(tries, signal);
        }
      }
      await report('images', 'progress', 'SUCCESS', `${image}`);
    }
  } finally {
    await dialer.close();
  }
  await report('images', 'finish', 'SUCCESS', 'all images are here');
}

interface HostsToml {
  server?: string;
  host?: Record<string, { capabilities?: string[]; override_path?: boolean; ca?: string; header?: { authorization?: string[] } }>;
}

/** One image as the container runtime does it: hosts.toml of its registry, manifest, config, layers, each verified. */
async function pullImage(
  m: Machine,
  me: Installed,
  dialer: Dialer,
  image: string,
  held: Set<string>,
  signal: AbortSignal,
): Promise<string[]> {
  const ref = parseReference(image);
  const text = me.files[`/etc/containerd/certs.d/${ref.registry}/hosts.toml`];
  const toml = text ? (parseToml(text) as HostsToml) : {};
  const [url, mirror] = Object.entries(toml.host ?? {})[0] ?? [`https://${ref.registry}`, undefined];
  const { hostname: host, port } = new URL(url);
  // Where the path is overridden, it stands for /v2; otherwise it goes behind it.
  const base = mirror?.override_path ? new URL(url).pathname.replace(/\/$/, '') : '/v2';
  const ca = mirror?.ca ? me.files[mirror.ca] : undefined;
  const headers: Record<string, string> = {
    'user-agent': 'container-runtime',
    ...(mirror?.header?.authorization?.[0] ? { authorization: mirror.header.authorization[0] } : {}),
  };
  const get = async (path: string, accept: string) => {
    const a = await dialer.ask(
      { purpose: 'registry', host, port: Number(port || 443), tls: true, ...(ca ? { trust: { ca } } : {}) },
      { path: `${base}${path}${path.includes('?') ? '&' : '?'}ns=${ref.registry}`, headers: { ...headers, accept }, signal },
    );
    const bytes = Buffer.from(
      await a.body.arrayBuffer().catch((e: unknown) => {
        throw ProtocolError.from(e, url);
      }),
    );
    if (a.status !== 200)
      throw new Error(
        `${url.replace('https://', '')} answered ${a.status}${a.status === 401 ? ', it does not take the credentials in hosts.toml' : ''}`,
      );
    return bytes;
  };
  const all = 'application/vnd.oci.image.index.v1+json, application/vnd.oci.image.manifest.v1+json';
  type Doc = {
    manifests?: { digest: string; platform?: { architecture: string } }[];
    config: { digest: string };
    layers: { digest: string; annotations?: Record<string, string>; size: number }[];
  };
  let doc = JSON.parse((await get(`/${ref.repository}/manifests/${ref.digest ?? ref.tag ?? 'latest'}`, all)).toString()) as Doc;
  const child = doc.manifests?.find((d) => d.platform?.architecture === 'amd64');
  if (child) doc = JSON.parse((await get(`/${ref.repository}/manifests/${child.digest}`, all)).toString()) as Doc;
  const fetched: string[] = [];
  let declaredBytes = 0;
  for (const d of [doc.config, ...doc.layers]) {
    if (held.has(d.digest)) continue;
    const bytes = await get(`/${ref.repository}/blobs/${d.digest}`, '*/*');
    if (`sha256:${createHash('sha256').update(bytes).digest('hex')}` !== d.digest)
      throw new Error(`${d.digest.slice(0, 19)} from ${host} does not have its digest; it was thrown away`);
    held.add(d.digest);
    fetched.push(d.digest);
    declaredBytes += Number((d as { annotations?: Record<string, string> }).annotations?.[paperSize] ?? 0);
  }
  await m.clock.sleep(declaredBytes / 25e6, signal);
  return fetched;
}
