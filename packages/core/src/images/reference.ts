/** An image name, taken apart as the OCI distribution specification has it. */
export interface Reference {
  registry: string;
  repository: string;
  tag?: string;
  digest?: string;
}

const repositoryPattern = /^[a-z0-9]+((\.|_|__|-+)[a-z0-9]+)*(\/[a-z0-9]+((\.|_|__|-+)[a-z0-9]+)*)*$/;

/** @throws Error naming the part that is wrong. A registry must be named: there is no default one. */
export function parseReference(text: string): Reference {
  const bad = (why: string) => new Error(`${JSON.stringify(text.slice(0, 200))} is not an image name: ${why}`);
  const [name = '', digest, extra] = text.split('@');
  if (extra !== undefined) throw bad('more than one @');
  const slash = name.indexOf('/');
  if (slash < 1) throw bad('it must begin with a registry, such as images.upstream.example/core/api:1.34.2');
  const registry = name.slice(0, slash);
  if (!/^[a-z0-9.-]+(:\d{1,5})?$/i.test(registry) || !/[.:]/.test(registry))
    throw bad(`${registry} is not a registry's host name`);
  const rest = name.slice(slash + 1);
  const colon = rest.lastIndexOf(':');
  const repository = colon < 0 ? rest : rest.slice(0, colon);
  const tag = colon < 0 ? undefined : rest.slice(colon + 1);
  if (!repositoryPattern.test(repository) || repository.length > 255)
    throw bad(`the repository ${repository} may hold lower-case letters, digits and separators`);
  if (tag !== undefined && !/^[A-Za-z0-9_][A-Za-z0-9._-]{0,127}$/.test(tag)) throw bad(`the tag ${tag}`);
  if (digest !== undefined && !/^sha256:[0-9a-f]{64}$/.test(digest)) throw bad(`the digest ${digest}`);
  return { registry, repository, ...(tag ? { tag } : {}), ...(digest ? { digest } : {}) };
}
