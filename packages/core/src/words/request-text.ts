/** A request as it is sent to the API. */
export interface RequestText {
  method: string;
  /** With its query, from the root of the server. */
  path: string;
  body?: unknown;
}

/** A word of a POSIX shell, in quotes where it needs them. */
export const shellWord = (text: string): string => (/^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** Fields that hold secrets, and private keys wherever they stand. */
const secret = /^(password|secret)$/;
const isSecret = (field: string, v: unknown) => typeof v === 'string' && (secret.test(field) || v.includes('PRIVATE KEY'));
/** What stands in place of a secret: whoever copies the line puts it in. */
export const leftOut = 'SECRET';
/** A body without what nobody is to read over a shoulder, or find in the history of a shell. */
const shown = (body: unknown): unknown => {
  if (Array.isArray(body)) return body.map(shown);
  if (body === null || typeof body !== 'object') return body;
  return Object.fromEntries(
    Object.entries(body)
      .filter(([, v]) => v !== undefined)
      .map(([k, v]) => [k, isSecret(k, v) ? leftOut : shown(v)]),
  );
};
const bodyText = (body: unknown) => JSON.stringify(shown(body));

/** The request as a line for curl, with the token out of the environment. @param origin such as `https://praesidor.example` */
export function curlOf({ method, path, body }: RequestText, origin: string): string {
  return [
    'curl',
    ...(method === 'GET' ? [] : ['-X', method]),
    '-H "Authorization: Bearer $PRAESIDOR_TOKEN"',
    ...(body === undefined ? [] : ["-H 'content-type: application/json'", '-d', shellWord(bodyText(body))]),
    shellWord(origin + path),
  ].join(' ');
}

type Words = (request: RequestText) => string[] | undefined;
const bodyOf = (r: RequestText) => (r.body ?? {}) as Record<string, unknown>;
const text = (v: unknown) => (typeof v === 'string' ? v : '');
const lists = (body: Record<string, unknown>, names: readonly string[]) =>
  names.flatMap((n) => (Array.isArray(body[n]) ? [`--${n}`, (body[n] as string[]).join(',')] : []));

/** Acts that have a command of their own; each other one is `call`. A new one is a line. */
const commands: readonly Words[] = [
  (r) => {
    const b = bodyOf(r);
    if (r.method !== 'POST' || r.path !== '/api/builds') return undefined;
    const kind = b.kind === undefined || b.kind === 'build' ? [] : ['--kind', text(b.kind)];
    return ['build', text(b.charter), ...kind, ...(b.confirm ? ['--confirm', text(b.confirm)] : ['--yes'])];
  },
  (r) => {
    const [, charter, number, act] =
      /^\/api\/builds\/([^/]+)\/(\d+)\/(pause|continue|stop|resume|retry|repeat|skip)$/.exec(r.path) ?? [];
    if (!charter || !number || !act) return undefined;
    const b = bodyOf(r);
    const step = ['step', 'reason'].flatMap((n) => (text(b[n]) ? [`--${n}`, text(b[n])] : []));
    return [
      'changes',
      act,
      decodeURIComponent(charter),
      number,
      ...lists(b, ['erase', 'undrained', 'off', 'unbacked', 'unkept']),
      ...step,
    ];
  },
  ({ method, path, body }) => ['call', method, path, ...(body === undefined ? [] : ['--body', bodyText(body)])],
];

/** The request as a command of `praesidor`, which has its token from the environment or from `sign-in`. */
export function commandOf(request: RequestText, origin: string): string {
  const words = commands.map((c) => c(request)).find((w) => w !== undefined) as string[];
  return ['praesidor', ...words.map(shellWord), '--server', shellWord(origin)].join(' ');
}
