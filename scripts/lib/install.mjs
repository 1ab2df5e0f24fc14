import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fail, step } from './say.mjs';

export const root = join(import.meta.dirname ?? new URL('.', import.meta.url).pathname, '../..');
/** Everything that a start keeps; another folder makes another installation beside the first. */
export const state = process.env.PRAESIDOR_STATE ?? join(root, '.praesidor');

const quiet = (command, args, options = {}) => spawnSync(command, args, { cwd: root, encoding: 'utf8', ...options });

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    fail(`Node.js ${process.versions.node} is too old: Praesidor needs 20.19 or later.`);
}

/** Debian packages, by a file that each brings. As root they are installed; otherwise the one line to run is shown. */
export async function debian(wanted) {
  const lacking = Object.entries(wanted)
    .filter(([, there]) => !there())
    .map(([name]) => name);
  if (!lacking.length) return;
  const line = `apt-get install -y ${lacking.join(' ')}`;
  if (process.getuid?.() !== 0) fail(`Missing: ${lacking.join(', ')}. Run this once, then start again:  sudo ${line}`);
  await step(`Installing ${lacking.join(', ')} from Debian`, async () => {
    const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
    // The cluster that Debian's package makes on its own is not wanted: it would listen on 5432.
    if (lacking.includes('postgresql')) {
      mkdirSync('/etc/postgresql-common', { recursive: true });
      if (!existsSync('/etc/postgresql-common/createcluster.conf'))
        writeFileSync('/etc/postgresql-common/createcluster.conf', 'create_main_cluster = false\n');
    }
    // Services of what is installed are not to run: what is needed is started on loopback, by us.
    const policy = '/usr/sbin/policy-rc.d';
    const ours = !existsSync(policy);
    if (ours) writeFileSync(policy, '#!/bin/sh\nexit 101\n', { mode: 0o755 });
    const run = () => quiet('apt-get', ['install', '-y', '--no-install-recommends', ...lacking], { env });
    let result = run();
    if (result.status !== 0) {
      quiet('apt-get', ['update'], { env });
      result = run();
    }
    if (ours) rmSync(policy, { force: true });
    // Nor at the next start of the machine: the tests start what they need, and nothing else is wanted of it.
    const services = lacking.flatMap((name) => servicesOf[name] ?? []);
    if (services.length && existsSync('/run/systemd/system')) quiet('systemctl', ['disable', '--now', '--quiet', ...services]);
    const still = Object.entries(wanted)
      .filter(([n, there]) => lacking.includes(n) && !there())
      .map(([n]) => n);
    if (still.length)
      fail(
        `Debian's packages could not be installed (${still.join(', ')}): ${(result.stderr || result.stdout || '').trim().split('\n').at(-1)}. Is there a network? The line was: ${line}`,
      );
  });
}

export const postgresBin = () => {
  const base = '/usr/lib/postgresql';
  const versions = existsSync(base)
    ? readdirSync(base)
        .filter((v) => existsSync(join(base, v, 'bin/postgres')))
        .sort((a, b) => Number(b) - Number(a))
    : [];
  return versions.length ? join(base, versions[0], 'bin') : undefined;
};

/** Programs that are not ours and judge our files in the tests. Their services are not started. */
export const judges = {
  'bind9-utils': () => existsSync('/usr/bin/named-checkzone') || existsSync('/usr/sbin/named-checkzone'),
  bind9: () => existsSync('/usr/sbin/named'),
  'bind9-dnsutils': () => existsSync('/usr/bin/dig'),
  'kea-dhcp4-server': () => existsSync('/usr/sbin/kea-dhcp4'),
  'dnsmasq-base': () => existsSync('/usr/sbin/dnsmasq'),
  'libvirt-clients': () => existsSync('/usr/bin/virt-xml-validate'),
  'libxml2-utils': () => existsSync('/usr/bin/xmllint'),
  containerd: () => existsSync('/usr/bin/containerd'),
  keepalived: () => existsSync('/usr/sbin/keepalived'),
  bird2: () => existsSync('/usr/sbin/bird'),
  nftables: () => existsSync('/usr/sbin/nft'),
  'etcd-server': () => existsSync('/usr/bin/etcd'),
  'etcd-client': () => existsSync('/usr/bin/etcdctl'),
  haproxy: () => existsSync('/usr/sbin/haproxy'),
  'nginx-light': () => existsSync('/usr/sbin/nginx'),
  'netplan.io': () => existsSync('/usr/sbin/netplan'),
  'cloud-init': () => existsSync('/usr/bin/cloud-init'),
  // With TFTP, as Debian has it.
  curl: () => quiet('sh', ['-c', 'curl --version | grep -q tftp']).status === 0,
  xorriso: () => existsSync('/usr/bin/xorriso'),
  mtools: () => existsSync('/usr/bin/mcopy'),
  rsyslog: () => existsSync('/usr/sbin/rsyslogd'),
  'poppler-utils': () => existsSync('/usr/bin/pdftotext'),
  dosfstools: () => existsSync('/sbin/fsck.vfat'),
  'openssh-server': () => existsSync('/usr/sbin/sshd'),
  sudo: () => existsSync('/usr/bin/sudo'),
  'iputils-ping': () => existsSync('/usr/bin/ping') || existsSync('/bin/ping'),
  'systemd-boot-efi': () => existsSync('/usr/lib/systemd/boot/efi/linuxx64.efi.stub'),
};

/** What those packages would start by themselves. */
const servicesOf = {
  bind9: ['named.service'],
  bird2: ['bird.service'],
  'kea-dhcp4-server': ['kea-dhcp4-server.service'],
  containerd: ['containerd.service'],
  haproxy: ['haproxy.service'],
  rsyslog: ['rsyslog.service', 'syslog.socket'],
  'nginx-light': ['nginx.service'],
  'openssh-server': ['ssh.service', 'ssh.socket'],
  'cloud-init': ['cloud-init-local', 'cloud-init', 'cloud-config', 'cloud-final'].map((s) => `${s}.service`),
};

export const packages = {
  postgresql: () => postgresBin() !== undefined,
  chromium: () => existsSync('/usr/bin/chromium'),
  'chromium-driver': () => existsSync('/usr/bin/chromedriver'),
  'kubernetes-client': () => quiet('sh', ['-c', 'command -v kubectl']).status === 0,
};

/** Whether what is in node_modules is what the lock file asks for, by the list that npm keeps of what it installed there. */
function installed() {
  const read = (path) => JSON.parse(readFileSync(join(root, path), 'utf8')).packages;
  let there;
  try {
    there = read('node_modules/.package-lock.json');
  } catch {
    return false;
  }
  const asked = read('package-lock.json');
  const same = ([path, p]) =>
    path === '' || (there[path] ? there[path].version === p.version : Boolean(p.optional || p.devOptional));
  return Object.entries(asked).every(same);
}

/** `npm ci`, where something of the lock file is lacking. What the engineer installed (and carried in) is not fetched again. */
export async function modules() {
  if (installed()) return;
  await step('Installing npm packages', async () => {
    const r = quiet('npm', ['ci', '--no-fund', '--no-audit', '--loglevel=error']);
    if (r.status !== 0) {
      const said = (r.stderr || '').trim();
      const why = said.split('\n').slice(0, 3).join(' ').replaceAll('npm error ', '');
      fail(
        `npm ci failed: ${why}.${/EAI_AGAIN|ENOTFOUND|ECONNREFUSED|ETIMEDOUT|ENETUNREACH|network/.test(said) ? ' Is there a network?' : ''}`,
      );
    }
  });
}

/** Builds the interface when its sources are newer than what was built. */
export async function web() {
  const hash = createHash('sha256');
  const walk = (dir) => {
    for (const e of readdirSync(dir, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const p = join(dir, e.name);
      if (e.name === 'dist' || e.name === 'node_modules') continue;
      if (e.isDirectory()) walk(p);
      else hash.update(p.slice(root.length)).update(readFileSync(p));
    }
  };
  walk(join(root, 'apps/web'));
  walk(join(root, 'packages/core/src'));
  hash.update(readFileSync(join(root, 'package-lock.json')));
  const want = hash.digest('hex');
  const marker = join(root, 'apps/web/dist/.sources');
  if (existsSync(marker) && readFileSync(marker, 'utf8') === want) return;
  await step('Building the interface', async () => {
    const r = quiet(process.execPath, [join(root, 'node_modules/vite/bin/vite.js'), 'build', 'apps/web', '--logLevel', 'error']);
    if (r.status !== 0)
      fail(`The interface could not be built: ${(r.stderr || r.stdout || '').trim().split('\n').slice(0, 4).join(' ')}`);
    writeFileSync(marker, want);
  });
}
