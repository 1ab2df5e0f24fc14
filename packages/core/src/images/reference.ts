import { isIp } from '../address/parse.ts';

/** An image name, taken apart as the OCI distribution specification has it. */
export interface Reference {
  registry: string;
  repository: string;
  tag?: string;
  digest?: string;
}

const repositoryPattern = /^[a-z0-9]+((\.|_|__|-+)[a-z0-9]+)*(\/[a-z0-9]+((\.|_|__|-+)[a-z0-9]+)*)*$/;
const labels = /^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?(\.[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?)*$/i;
/** Registered algorithms (OCI image specification, descriptor): hex digits in lower case, as many as each has. */
const digests = /^(sha256:[0-9a-f]{64}|sha512:[0-9a-f]{128})$/;

/** Whether a text is a host by name (RFC 1123) or address, IPv6 in brackets, with or without a port (RFC 3986 §3.2). */
export function hostport(text: string): boolean {
  const m = /^(\[[0-9a-f:.]+\]|[^:[\]]+)(?::(\d{1,5}))?$/i.exec(text);
  if (!m || (m[2] !== undefined && (Number(m[2]) > 65_535 || Number(m[2]) === 0))) return false;
  const host = m[1] as string;
  if (host.startsWith('[')) return isIp(host.slice(1, -1)) && host.includes(':');
  if (host.length > 253 || !labels.test(host)) return false;
  // What looks like an IPv4 address must be one: 10.0.0.300 is no name.
  return !/^[\d.]+$/.test(host) || isIp(host);
}

/** @throws Error naming the part that is wrong. A registry must be named: there is no default one. */
export function parseReference(text: string): Reference {
  const bad = (why: string) => new Error(`${JSON.stringify(text.slice(0, 200))} is not an image name: ${why}`);
  const [name = '', digest, extra] = text.split('@');
  if (extra !== undefined) throw bad('more than one @');
  const slash = name.indexOf('/');
  if (slash < 1) throw bad('it must begin with a registry, such as images.upstream.example/core/api:1.34.2');
  const registry = name.slice(0, slash);
  // A first part without dot or port is a path to most programs, but for localhost.
  if (!hostport(registry) || !(/[.:]/.test(registry) || registry === 'localhost'))
    throw bad(`${registry} is not a registry's host name`);
  const rest = name.slice(slash + 1);
  const colon = rest.lastIndexOf(':');
  const repository = colon < 0 ? rest : rest.slice(0, colon);
  const tag = colon < 0 ? undefined : rest.slice(colon + 1);
  if (!repositoryPattern.test(repository) || repository.length > 255)
    throw bad(`the repository ${repository} may hold lower-case letters, digits and separators`);
  if (tag !== undefined && !/^[A-Za-z0-9_][A-Za-z0-9._-]{0,127}$/.test(tag)) throw bad(`the tag ${tag}`);
  if (digest !== undefined && !digests.test(digest)) throw bad(`the digest ${digest}`);
  return { registry, repository, ...(tag ? { tag } : {}), ...(digest ? { digest } : {}) };
}
