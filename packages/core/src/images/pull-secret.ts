/** A pull secret as the container auth file has it: `{"auths": {"<registry>": {"auth": "<base64 of user:password>"}}}`. */
export interface PullSecretFile {
  /** What it is called in messages. */
  name: string;
  text: string;
}
export interface MergedSecret {
  auths: Record<string, { auth: string }>;
  /** Of each registry: the user, and the files that say so. Passwords are in `auths` alone. */
  entries: { registry: string; user: string; from: string[] }[];
  /** Registries for which two files say different things: neither is taken. */
  conflicts: { registry: string; says: { file: string; user: string }[] }[];
  /** Registries asked for that no file has. */
  missing: string[];
  /** What could not be read, by file and, where it is one, by entry. */
  faults: { file: string; registry?: string; why: string }[];
}

/** A key of an auth file as a registry: without scheme and without what older tools put behind it. */
export const registryOfKey = (key: string): string =>
  key
    .trim()
    .replace(/^https?:\/\//, '')
    .replace(/\/(v[12]\/?)?$/, '')
    .toLowerCase();

/**
 * Joins auth files. Equal entries agree, whatever they are called; different ones are a conflict, settled by
 * `prefer` (registry → file name) or not at all. No password ever stands in what this says.
 */
export function mergePullSecrets(
  files: readonly PullSecretFile[],
  wanted: readonly string[] = [],
  prefer: Readonly<Record<string, string>> = {},
): MergedSecret {
  const faults: MergedSecret['faults'] = [];
  const said = new Map<string, { file: string; user: string; auth: string }[]>();
  for (const f of files) {
    const auths = readAuths(f, faults);
    for (const [key, entry] of Object.entries(auths)) {
      const registry = registryOfKey(key);
      const read = readEntry(entry);
      if ('why' in read) faults.push({ file: f.name, registry, why: read.why });
      else said.set(registry, [...(said.get(registry) ?? []), { file: f.name, ...read }]);
    }
  }
  const out: MergedSecret = { auths: {}, entries: [], conflicts: [], missing: [], faults };
  for (const [registry, list] of [...said].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const kinds = new Set(list.map((x) => x.auth));
    const chosen = kinds.size === 1 ? list[0] : list.find((x) => x.file === prefer[registry]);
    if (!chosen) {
      out.conflicts.push({ registry, says: list.map(({ file, user }) => ({ file, user })) });
      continue;
    }
    out.auths[registry] = { auth: chosen.auth };
    out.entries.push({ registry, user: chosen.user, from: list.filter((x) => x.auth === chosen.auth).map((x) => x.file) });
  }
  out.missing = [...new Set(wanted.map(registryOfKey))].filter((r) => !said.has(r)).sort();
  return out;
}

/** One entry of an auth file. Only ASCII user names and passwords travel through every runtime; others are kept as they are. */
export const authOf = (user: string, password: string): string => {
  let binary = '';
  for (const byte of new TextEncoder().encode(`${user}:${password}`)) binary += String.fromCharCode(byte);
  return btoa(binary);
};

/** The auth file itself, registries in order, as it is written to a machine. */
export const pullSecretText = (auths: MergedSecret['auths']): string =>
  `${JSON.stringify({ auths: Object.fromEntries(Object.entries(auths).sort(([a], [b]) => (a < b ? -1 : 1))) }, null, 2)}\n`;

function readAuths(f: PullSecretFile, faults: MergedSecret['faults']): Record<string, unknown> {
  let json: unknown;
  try {
    json = JSON.parse(f.text);
  } catch {
    // What a parser says of the place would quote what stands there, which may be a password.
    faults.push({ file: f.name, why: 'it is not JSON' });
    return {};
  }
  const auths = (json as { auths?: unknown } | null)?.auths;
  if (!auths || typeof auths !== 'object' || Array.isArray(auths)) {
    faults.push({ file: f.name, why: 'it has no map named auths' });
    return {};
  }
  return auths as Record<string, unknown>;
}

function readEntry(entry: unknown): { user: string; auth: string } | { why: string } {
  const e = (entry ?? {}) as { auth?: unknown; username?: unknown; password?: unknown };
  if (typeof e.auth === 'string' && e.auth) {
    let text: string;
    try {
      text = atob(e.auth.trim());
    } catch {
      return { why: 'its auth is not base64' };
    }
    const colon = text.indexOf(':');
    return colon > 0 ? { user: text.slice(0, colon), auth: btoa(text) } : { why: 'its auth is not user:password' };
  }
  if (typeof e.username === 'string' && typeof e.password === 'string')
    return { user: e.username, auth: authOf(e.username, e.password) };
  return { why: 'it holds neither auth nor user name and password' };
}
