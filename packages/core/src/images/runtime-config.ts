import { parse, TomlError } from 'smol-toml';
import type { MirrorRule } from './mirror.ts';

/** How a mirror is asked: over which anchors' file, with which header. */
export interface MirrorAccess {
  ca?: string;
  /** The value of the Authorization header, a secret. */
  authorization?: string;
}

/**
 * The `hosts.toml` of one source for a containerd-style runtime. `server` is the mirror itself: what it does not have
 * is asked of nobody else.
 */
export function hostsToml(source: string, mirror: string, access: MirrorAccess = {}): string {
  const at = mirror.indexOf('/');
  const host = at < 0 ? mirror : mirror.slice(0, at);
  const url = at < 0 ? `https://${host}` : `https://${host}/v2${mirror.slice(at)}`;
  const how = ['capabilities = ["pull", "resolve"]'];
  if (at >= 0) how.push('override_path = true');
  if (access.ca) how.push(`ca = ${JSON.stringify(access.ca)}`);
  const header = (name: string) =>
    access.authorization ? `\n[${name}]\n  authorization = [${JSON.stringify(access.authorization)}]\n` : '';
  const key = `host.${JSON.stringify(url)}`;
  // What the mirror lacks is asked of the server: the mirror again, with the same trust, so that the answer is its own.
  return `# ${source} is answered by ${mirror}; images keep their own names.\nserver = ${JSON.stringify(url)}\n${how.join('\n')}\n${header('header')}\n[${key}]\n${how.map((line) => `  ${line}\n`).join('')}${header(`${key}.header`)}`;
}

export interface HostsFile {
  /** The registry that it is about, and the folder that it lies in. */
  source: string;
  text: string;
  /** Rules that this form cannot say: it sends a whole registry below one path. */
  unsaid: MirrorRule[];
}
/**
 * One `hosts.toml` for each source registry of some rules. Names below a source go below one path of the mirror together;
 * a rule that would send some of them elsewhere than the shortest one cannot be said, and is answered as `unsaid`.
 */
export function hostsFiles(rules: readonly MirrorRule[], access: MirrorAccess = {}): HostsFile[] {
  const bySource = new Map<string, MirrorRule[]>();
  for (const r of [...rules].sort((a, b) => a.source.length - b.source.length)) {
    const source = r.source.split('/')[0] as string;
    bySource.set(source, [...(bySource.get(source) ?? []), r]);
  }
  return [...bySource]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([source, list]) => {
      // What stands below the mirror when the rule's own path is taken off its end: up.example/core → m/kept/core is m/kept.
      const whole = list.map((r) => {
        const path = r.source.slice(source.length);
        return path === '' ? r.mirror : r.mirror.endsWith(path) ? r.mirror.slice(0, -path.length) : undefined;
      });
      const mirror = whole.find((w) => w !== undefined) ?? (list[0] as MirrorRule).mirror;
      return { source, text: hostsToml(source, mirror, access), unsaid: list.filter((_, n) => whole[n] !== mirror) };
    });
}

/** Drop-in for runtimes that read `registries.conf` (version 2): one table a rule, the mirror first and nobody behind it. */
export function registriesConf(rules: readonly MirrorRule[]): string {
  return [
    '# Images keep their own names; the runtime asks the mirror for them, and nobody else.\nunqualified-search-registries = []\nshort-name-mode = "enforcing"\n',
    ...rules.map(
      (r) =>
        `[[registry]]\nprefix = ${JSON.stringify(r.source)}\nlocation = ${JSON.stringify(r.mirror)}\nblocked = false\ninsecure = false\n`,
    ),
  ].join('\n');
}

export interface ReadRules {
  rules: MirrorRule[];
  /** Lines that could not be understood, or say what Praesidor does not hold with. */
  faults: { line: number; column: number; message: string }[];
  /** Keys that were not understood, so that nothing is lost silently. */
  unread: string[];
}

const table = (v: unknown): Record<string, unknown> | undefined =>
  v && typeof v === 'object' && !Array.isArray(v) ? (v as Record<string, unknown>) : undefined;
const bare = (url: string) =>
  url
    .replace(/^https:\/\//, '')
    .replace(/\/v2(?=\/|$)/, '')
    .replace(/\/$/, '');

function read(text: string, act: (doc: Record<string, unknown>, out: ReadRules) => void): ReadRules {
  const out: ReadRules = { rules: [], faults: [], unread: [] };
  if (text.length > 1_000_000) {
    out.faults.push({ line: 1, column: 1, message: 'larger than 1 MB' });
    return out;
  }
  try {
    act(parse(text), out);
  } catch (e) {
    if (!(e instanceof TomlError)) throw e;
    out.faults.push({
      line: e.line,
      column: e.column,
      message: (e.message.split('\n')[0] ?? '').replace(/^Invalid TOML document: /, ''),
    });
  }
  return out;
}
const refuseOpen = (url: string, out: ReadRules) => {
  if (url.startsWith('http://'))
    out.faults.push({ line: 1, column: 1, message: `${url} is asked without TLS: what it answers could be anybody's` });
};

/** Rules out of a `hosts.toml` of the folder of `source`. */
export const readHostsToml = (source: string, text: string): ReadRules =>
  read(text, (doc, out) => {
    for (const key of Object.keys(doc))
      if (!['server', 'host', 'capabilities', 'ca', 'header', 'override_path'].includes(key)) out.unread.push(key);
    for (const [url, says] of Object.entries(table(doc.host) ?? {})) {
      refuseOpen(url, out);
      out.rules.push({ source, mirror: bare(url) });
      for (const key of Object.keys(table(says) ?? {}))
        if (!['capabilities', 'ca', 'header', 'override_path'].includes(key)) out.unread.push(`host."${url}".${key}`);
      if (table(says)?.skip_verify === true)
        out.faults.push({ line: 1, column: 1, message: `${url} is asked without looking at its certificate` });
    }
    if (typeof doc.server === 'string' && bare(doc.server) === source)
      out.faults.push({ line: 1, column: 1, message: `what the mirror does not have is asked of ${source} itself` });
  });

/** Rules out of a `registries.conf` of version 2. */
export const readRegistriesConf = (text: string): ReadRules =>
  read(text, (doc, out) => {
    for (const key of Object.keys(doc))
      if (!['registry', 'unqualified-search-registries', 'short-name-mode'].includes(key)) out.unread.push(key);
    for (const entry of Array.isArray(doc.registry) ? doc.registry : []) {
      const r = table(entry) ?? {};
      const source = String(r.prefix ?? r.location ?? '');
      const mirrors = Array.isArray(r.mirror) ? r.mirror.map((m) => table(m) ?? {}) : [];
      for (const m of mirrors) {
        if (m.insecure === true)
          out.faults.push({ line: 1, column: 1, message: `${String(m.location)} is asked without looking at its certificate` });
        out.rules.push({ source, mirror: String(m.location ?? '') });
      }
      if (!mirrors.length && r.location !== undefined && r.location !== source)
        out.rules.push({ source, mirror: String(r.location) });
      if (r.insecure === true)
        out.faults.push({ line: 1, column: 1, message: `${source} is asked without looking at its certificate` });
      for (const key of Object.keys(r))
        if (!['prefix', 'location', 'mirror', 'blocked', 'insecure'].includes(key)) out.unread.push(`registry.${key}`);
    }
  });
