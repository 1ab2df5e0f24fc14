import { existsSync, readdirSync, statSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import {
  Difference,
  Documents,
  Imported,
  Me,
  NewToken,
  ProposalBegun,
  type StandingDocument,
  type ToldFinding,
} from '@praesidor/contract';
import { roleAnywhere, tokenActsOf } from '@praesidor/core/access';
import { type Kind, kinds } from '@praesidor/core/model';
import { clusterRoleNames, usualHours } from '@praesidor/core/access';
import { counted } from '@praesidor/core/words';
import type { z } from 'zod';
import { readText, Unusable } from '../estate.ts';
import type { Asked, SubCommand } from '../options.ts';
import { Refused, Server, serverOptions } from '../server.ts';
import { forgetSignedIn, keepSignedIn, signedIn } from '../signed-in.ts';
import { agreed, begin, log, on } from './changes.ts';

/** The text of files, and of all YAML files of folders, joined as one list of documents. */
function textOf(paths: readonly string[]): string {
  if (!paths.length) throw new Unusable('say which files, or which folder');
  const files = paths.flatMap((p) => {
    if (!existsSync(p)) throw new Unusable(`${p}: there is no such file`);
    if (!statSync(p).isDirectory()) return [p];
    const found = readdirSync(p)
      .filter((f) => /\.ya?ml$/.test(f))
      .sort()
      .map((f) => join(p, f));
    if (!found.length) throw new Unusable(`${p}: there is no YAML file in it`);
    return found;
  });
  return files.map((f) => readText(f)).join('\n---\n');
}

const shown = (v: unknown) => (v === undefined ? '—' : typeof v === 'string' ? v : JSON.stringify(v));
const finding = (sign: string) => (f: ToldFinding) =>
  `${sign} ${f.severity} ${f.code} ${f.subject.kind} ${f.subject.name}: ${f.title}`;
/** What a text would change, for people: documents, their fields, and what would be found then. */
function linesOf(d: Difference): string[] {
  const sum = `${counted(d.changes.filter((c) => c.what === 'added').length, 'document')} added, ${d.changes.filter((c) => c.what === 'changed').length} changed, ${d.same} as they stand`;
  return [
    ...d.changes.flatMap((c) => [
      `${c.what === 'added' ? '+' : '~'} ${c.kind} ${c.key}`,
      ...c.fields.map((f) => `    ${f.path}: ${shown(f.before)} → ${shown(f.after)}`),
    ]),
    ...(d.come.length ? ['found then:', ...d.come.map(finding('+'))] : []),
    ...(d.go.length ? ['settled by it:', ...d.go.map(finding('-'))] : []),
    ...(d.refused ? [`refused: ${d.refused}`] : []),
    sum,
  ];
}
const differenceOf = async (server: Server, asked: Asked): Promise<{ text: string; d: Difference }> => {
  const text = textOf(asked.words);
  return { text, d: await server.post('/api/difference', { text }, Difference) };
};
const difference = on({
  name: 'difference',
  words: '<file...>',
  about: 'what files, or the YAML files of folders, would change on a server; exit 1 where they change something',
  run: async (server, asked, write) => {
    const { d } = await differenceOf(server, asked);
    write(asked.options.json ? `${JSON.stringify(d, null, 2)}\n` : `${linesOf(d).join('\n')}\n`);
    return d.changes.length || d.refused ? 1 : 0;
  },
});

const declare = on({
  name: 'declare',
  words: '<file...>',
  about:
    'shows what files would change on a server, asks, and declares them in one transaction; what a check stops then is refused',
  options: [
    ['--yes', 'do not ask'],
    ['--although-stopped', 'declare it although a check stops something then'],
    ['--propose <title>', 'keep it as a proposal of that title: somebody reads and makes it'],
  ],
  run: async (server, asked, write) => {
    const { text, d } = await differenceOf(server, asked);
    const json = asked.options.json === true;
    if (!json) write(`${linesOf(d).join('\n')}\n`);
    const { propose } = asked.options;
    if (typeof propose === 'string' && d.changes.length) {
      const proposed = await server.post('/api/proposals', { title: propose, text }, ProposalBegun);
      write(json ? `${JSON.stringify({ proposed })}\n` : `proposal ${proposed.id}\n`);
      return 0;
    }
    if (d.refused) throw new Refused(d.refused);
    if (!d.changes.length) {
      if (json) write(`${JSON.stringify({ declared: null })}\n`);
      return 0;
    }
    if (!(await agreed(asked, 'Declare it?'))) {
      write('nothing was declared\n');
      return 1;
    }
    // Held against the state that was looked at: what somebody changed since is not written over.
    const body = { text, file: 'declare', revision: d.revision, unstopped: !asked.options.althoughStopped };
    const declared = await server.post('/api/import', body, Imported);
    write(
      json
        ? `${JSON.stringify({ declared }, null, 2)}\n`
        : `declared: ${declared.added} added, ${declared.changed} changed, act ${declared.act} of the record\n`,
    );
    return 0;
  },
});

const list = on({
  name: 'list',
  words: '<kind>',
  about: `documents of a kind on a server: ${Object.keys(kinds).join(', ')}`,
  options: [['--site <name>', 'of one site alone']],
  run: async (server, asked, write) => {
    const kind = (Object.keys(kinds) as Kind[]).find((k) => k.toLowerCase() === asked.words[0]?.toLowerCase());
    if (!kind) throw new Unusable(`${asked.words[0]} is no kind; kinds are ${Object.keys(kinds).join(', ')}`);
    const site = typeof asked.options.site === 'string' ? `&site=${encodeURIComponent(asked.options.site)}` : '';
    const all: z.infer<typeof StandingDocument>[] = [];
    for (let after = ''; ; ) {
      const { documents } = await server.get(`/api/documents/${kind}?after=${encodeURIComponent(after)}${site}`, Documents);
      all.push(...documents);
      const last = documents.at(-1);
      if (!last || documents.length < 1000) break;
      after = last.key;
    }
    if (asked.options.json) write(`${JSON.stringify({ documents: all }, null, 2)}\n`);
    else for (const d of all) write(`${d.key}  version ${d.version}, ${d.by}, ${d.at}\n`);
    return 0;
  },
});

const kubeconfig = on({
  name: 'kubeconfig',
  words: '<charter>',
  about: 'a kubeconfig of your own for a cluster, with an end, on standard output',
  options: [
    ['--role <role>', `${clusterRoleNames.join(', ')}; usually view`],
    ['--hours <hours>', `how long it is good; usually ${usualHours}`],
    ['--via <way>', 'planned: the API as it is planned; here: as the server reaches it'],
  ],
  run: async (server, asked, write) => {
    const via = asked.options.via ?? 'planned';
    if (via !== 'planned' && via !== 'here') throw new Unusable('--via: planned or here');
    const role = asked.options.role ?? 'view';
    if (!(clusterRoleNames as readonly unknown[]).includes(role)) throw new Unusable(`--role: ${clusterRoleNames.join(', ')}`);
    const hours = Number(asked.options.hours ?? usualHours);
    if (!Number.isInteger(hours) || hours < 1) throw new Unusable('--hours: a number of hours');
    const query = new URLSearchParams({ role: String(role), hours: String(hours), via });
    write(await server.text(`/api/charters/${encodeURIComponent(asked.words[0] ?? '')}/kubeconfig?${query}`));
    return 0;
  },
});

const methods = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE'];
const call = on({
  name: 'call',
  words: '<method> <path>',
  about: 'any act of the API, as the dialogs show it: call POST /api/charters/plover/hold; the answer as JSON',
  options: [['--body <json>', 'what is sent, as JSON; @file: out of a file']],
  run: async (server, asked, write) => {
    const [method = '', path = ''] = asked.words;
    if (!methods.includes(method.toUpperCase())) throw new Unusable(`${method} is no method: ${methods.join(', ')}`);
    if (!/^\/api\/[\w]/.test(path)) throw new Unusable(`${path} is no path of the API, such as /api/builds`);
    const given = typeof asked.options.body === 'string' ? asked.options.body : undefined;
    const answer = await server.any(method.toUpperCase(), path, given === undefined ? undefined : readJson(given));
    write(`${JSON.stringify(answer, null, 2)}\n`);
    return 0;
  },
});
function readJson(given: string): unknown {
  const text = given.startsWith('@') ? readText(given.slice(1)) : given;
  try {
    return JSON.parse(text);
  } catch (e) {
    throw new Unusable(`--body: ${(e as Error).message}`);
  }
}

const days = 30;
const signIn: SubCommand = {
  name: 'sign-in',
  about: `signs in at a server for ${days} days: the commands after it need no password`,
  options: serverOptions,
  run: async (asked, write) => {
    const login = asked.options.login ?? process.env.PRAESIDOR_LOGIN;
    if (typeof login !== 'string' || !login) throw new Unusable('--login: say who signs in');
    if (!process.env.PRAESIDOR_PASSWORD) process.env.PRAESIDOR_PASSWORD = await password(login);
    const asItSays = { ...asked, options: { ...asked.options, login } };
    return Server.with(asItSays, async (server) => {
      const me = await server.get('/api/me', Me);
      const name = `command line of ${hostname()}, ${new Date().toISOString().slice(0, 19)}`.slice(0, 60);
      const made = await server.post('/api/me/tokens', { name, acts: tokenActsOf(roleAnywhere(me)), days }, NewToken);
      const ca = typeof asked.options.ca === 'string' ? { ca: readText(asked.options.ca) } : {};
      const file = keepSignedIn({ server: server.href, token: made.token, login: me.login, endsAt: String(made.endsAt), ...ca });
      write(
        asked.options.json
          ? `${JSON.stringify({ login: me.login, endsAt: made.endsAt, file })}\n`
          : `${me.login} is signed in until ${made.endsAt}; kept in ${file}\n`,
      );
      return 0;
    });
  },
};
/** Typed without being shown. */
async function password(login: string): Promise<string> {
  if (!process.stdin.isTTY) throw new Unusable('PRAESIDOR_PASSWORD is not set, and nobody is here to be asked');
  process.stderr.write(`Password of ${login}: `);
  const silent = new Writable({ write: (_part, _how, done) => done() });
  const line = createInterface({ input: process.stdin, output: silent, terminal: true });
  try {
    return await line.question('');
  } finally {
    line.close();
    process.stderr.write('\n');
  }
}
const signOut: SubCommand = {
  name: 'sign-out',
  about: 'forgets what sign-in kept on this machine',
  run: (asked, write) => {
    const kept = signedIn();
    forgetSignedIn();
    write(
      asked.options.json
        ? `${JSON.stringify({ login: kept?.login ?? null })}\n`
        : kept
          ? `${kept.login} is signed out here; the token itself ends ${kept.endsAt}, or under People, Tokens\n`
          : 'nobody was signed in\n',
    );
    return 0;
  },
};

/** Commands that work on a server; what is in a group of its own too stands here by its short name. */
export const onServer: readonly SubCommand[] = [
  signIn,
  signOut,
  difference,
  declare,
  list,
  {
    ...begin,
    name: 'build',
    about: 'as changes begin: shows what would be done so that a cluster stands as planned, asks, and begins it',
  },
  { ...log, about: 'as changes log: what was put down of a change, line by line' },
  kubeconfig,
  call,
];
