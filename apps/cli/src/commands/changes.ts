import { createInterface } from 'node:readline/promises';
import { setTimeout } from 'node:timers/promises';
import { BuildBegun, Builds, ChangeDue, LogLines, WholeBuild } from '@praesidor/contract';
import { ChangeName } from '@praesidor/core/changes';
import { failedSteps, stateText } from '@praesidor/core/schedule';
import { Unusable } from '../estate.ts';
import type { Asked, CommandGroup, SubCommand } from '../options.ts';
import { Refused, Server, serverOptions } from '../server.ts';
import { told } from './change.ts';

type Write = (text: string) => void;

/** How often it is looked how far a change is, in milliseconds. */
const looks = 1000;
const ends = ['done', 'failed', 'stopped'];

function kindOf({ options }: Asked): ChangeName | undefined {
  if (options.kind === undefined) return undefined;
  const kind = ChangeName.safeParse(options.kind);
  if (!kind.success) throw new Unusable(`--kind: one of ${ChangeName.options.join(', ')}`);
  return kind.data;
}
const named = ({ words }: Asked): string => encodeURIComponent(words[0] ?? '');
/** One change of a cluster. */
interface One {
  charter: string;
  number: number;
}
function oneOf({ words }: Asked): One {
  const number = Number(words[1]);
  if (!Number.isInteger(number) || number < 1) throw new Unusable(`${words[1] ?? ''} is no number of a change`);
  return { charter: words[0] ?? '', number };
}
const pathOf = ({ charter, number }: One) => `/api/builds/${encodeURIComponent(charter)}/${number}`;
/** Its state: out of the list, which is short, as long as it stands there. */
async function stateOf(server: Server, one: One): Promise<string> {
  const { builds } = await server.get(`/api/builds?charter=${encodeURIComponent(one.charter)}`, Builds);
  return builds.find((b) => b.number === one.number)?.state ?? (await server.get(pathOf(one), WholeBuild)).status.state;
}
const dueOf = async (server: Server, asked: Asked) => {
  const kind = kindOf(asked);
  return (await server.get(`/api/charters/${named(asked)}/change${kind ? `?kind=${kind}` : ''}`, ChangeDue)).due;
};
/** A command on a server; `words` and options are its own beside those of all of them. */
export const on = (
  command: Omit<SubCommand, 'run'> & { run: (server: Server, asked: Asked, write: Write) => Promise<number> },
): SubCommand => ({
  ...command,
  options: [...(command.options ?? []), ...serverOptions],
  run: (asked, write) => Server.with(asked, (server) => command.run(server, asked, write)),
});

/** Writes what is put down of a change as it comes, until its end; for programs an object a line. @returns 0 when it ended well */
async function follow(
  server: Server,
  one: One,
  { json, once = false }: { json: boolean; once?: boolean },
  write: Write,
): Promise<number> {
  const say = (text: string, object: object) => write(json ? `${JSON.stringify(object)}\n` : `${text}\n`);
  let after = 0;
  for (;;) {
    // Asked first: whatever is put down before its end is there then.
    const state = await stateOf(server, one);
    for (;;) {
      const { lines } = await server.get(`${pathOf(one)}/log?after=${after}`, LogLines);
      if (!lines.length) break;
      for (const l of lines) {
        const at = new Date(l.at).toISOString();
        say(`${at}  ${l.step}  ${l.level === 'info' ? '' : `${l.level}: `}${l.line}`, {
          at,
          step: l.step,
          level: l.level,
          line: l.line,
        });
      }
      after = lines.at(-1)?.id ?? after;
    }
    if (once) return 0;
    if (ends.includes(state)) {
      const { status, title, steps } = await server.get(pathOf(one), WholeBuild);
      // Somebody has resumed it in between.
      if (!ends.includes(status.state)) continue;
      const failed = failedSteps(steps, status).map(({ id }) => ({
        step: id,
        why: status.steps[id]?.text ?? '',
        remedy: status.steps[id]?.remedy ?? '',
      }));
      say(
        [`${title}: ${stateText[status.state]}`, ...failed.map((f) => `  ${f.step}: ${f.why} ${f.remedy}`.trimEnd())].join('\n'),
        { state: status.state, failed },
      );
      return status.state === 'done' ? 0 : 1;
    }
    await setTimeout(looks);
  }
}

/** Whether somebody agrees, who is asked unless `--yes` says so already. @throws Unusable where nobody is here */
export async function agreed(asked: Asked, question: string): Promise<boolean> {
  if (asked.options.yes) return true;
  if (!process.stdin.isTTY) throw new Unusable('--yes: nobody is here to be asked');
  const line = createInterface({ input: process.stdin, output: process.stderr });
  try {
    return (await line.question(`${question} Type yes: `)).trim() === 'yes';
  } finally {
    line.close();
  }
}

const kind: [string, string] = [
  '--kind <kind>',
  `which kind of change, where it is not the one that is due: ${ChangeName.options.join(', ')}`,
];
const wait: [string, string] = ['--wait', 'follow it to its end; exit 1 where it does not end well'];

const show = on({
  name: 'show',
  words: '<charter>',
  about: 'what would be done so that its cluster stands as planned; exit 1 where it is refused',
  options: [kind],
  run: async (server, asked, write) => {
    const due = await dueOf(server, asked);
    if (asked.options.json) write(`${JSON.stringify({ due }, null, 2)}\n`);
    else write(due ? told(due) : `${asked.words[0]} stands as planned\n`);
    return due?.refused.length ? 1 : 0;
  },
});

export const begin = on({
  name: 'begin',
  words: '<charter>',
  about: 'shows what would be done, asks, and begins it',
  options: [
    kind,
    ['--yes', 'do not ask'],
    ['--confirm <name>', 'the name of the cluster, where its end or that of what lies on its hosts is begun'],
    wait,
  ],
  run: async (server, asked, write) => {
    const due = await dueOf(server, asked);
    const json = asked.options.json === true;
    if (!due) {
      write(json ? `${JSON.stringify({ begun: null })}\n` : `${asked.words[0]} stands as planned\n`);
      return 0;
    }
    if (!json) write(told(due));
    if (due.refused.length) throw new Refused(`${due.title}: ${due.refused.join('; ')}.`);
    if (due.ends && asked.options.confirm !== asked.words[0])
      throw new Unusable(
        `--confirm: ${due.label.toLowerCase()} is confirmed by the name of the cluster. ${due.confirm ?? ''}`.trim(),
      );
    // What ends something is confirmed by its name.
    if (!due.ends && !(await agreed(asked, `${due.title}: begin?`))) {
      write('not begun\n');
      return 1;
    }
    const b = await server.post(
      '/api/builds',
      { charter: asked.words[0], kind: due.kind, ...(due.ends ? { confirm: asked.options.confirm } : {}) },
      BuildBegun,
    );
    write(json ? `${JSON.stringify({ begun: b })}\n` : `begun: change ${b.number} of ${b.charter}\n`);
    return asked.options.wait ? follow(server, b, { json }, write) : 0;
  },
});

const list = on({
  name: 'list',
  words: '[charter]',
  about: 'changes of all clusters or of one, the newest first',
  run: async (server, asked, write) => {
    const { builds } = await server.get(`/api/builds${asked.words[0] ? `?charter=${named(asked)}` : ''}`, Builds);
    if (asked.options.json) write(`${JSON.stringify({ builds }, null, 2)}\n`);
    else for (const b of builds) write(`${b.charter} ${b.number}  ${stateText[b.state]}  ${b.title}\n`);
    return 0;
  },
});

export const log = on({
  name: 'log',
  words: '<charter> <number>',
  about: 'what was put down of a change, line by line',
  options: [['--follow', 'as it happens, to its end; exit 1 where it does not end well']],
  run: (server, asked, write) =>
    follow(server, oneOf(asked), { json: asked.options.json === true, once: !asked.options.follow }, write),
});

const hosts: [string, string][] = [
  ['--erase <hosts>', 'hosts whose disks are erased, whatever they hold; with commas between'],
  ['--undrained <hosts>', 'hosts that are taken out although pods are left there'],
  ['--off <hosts>', 'hosts that are off, and nobody at the server can see it'],
  ['--unbacked <name>', 'the name of the cluster: etcd is not backed up'],
  ['--unkept <hosts>', 'hosts that go although data of volumes lie there alone'],
];
const decided = ({ options }: Asked) =>
  Object.fromEntries(
    ['erase', 'undrained', 'off', 'unbacked', 'unkept'].flatMap((k) =>
      typeof options[k] === 'string' ? [[k, options[k].split(',')]] : [],
    ),
  );
const act = (name: string, about: string, options: [string, string][] = []): SubCommand =>
  on({
    name,
    words: '<charter> <number>',
    about,
    options: [...options, wait],
    run: async (server, asked, write) => {
      const one = oneOf(asked);
      const { step, reason } = asked.options;
      const how = { ...decided(asked), ...(step ? { step } : {}), ...(reason ? { reason } : {}) };
      await server.post(`${pathOf(one)}/${name}`, how);
      return asked.options.wait ? follow(server, one, { json: asked.options.json === true }, write) : 0;
    },
  });
const step: [string, string] = ['--step <id>', 'which step'];

/** Changes of clusters, on a server: shown, begun, followed, and held up. */
export const changes: CommandGroup = {
  name: 'changes',
  about: 'changes of clusters on a server: shown, begun, followed, paused, resumed',
  commands: [
    show,
    begin,
    list,
    log,
    act('pause', 'begins no further step'),
    act('continue', 'goes on with one that is paused'),
    act('stop', 'stops it: what runs is cut off, what is done holds'),
    act('resume', 'goes on with one that failed or was stopped', hosts),
    act('retry', 'tries its failed steps again while the rest goes on', hosts),
    act('repeat', 'does one step once more', [step]),
    act('skip', 'passes over one step, for a reason that is put down', [step, ['--reason <text>', 'why']]),
  ],
};
