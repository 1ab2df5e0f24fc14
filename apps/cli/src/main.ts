import { Command, CommanderError } from 'commander';
import { address } from './commands/address.ts';
import { bundle } from './commands/bundle.ts';
import { changes } from './commands/changes.ts';
import { charter } from './commands/charter.ts';
import { check } from './commands/check.ts';
import { files } from './commands/files.ts';
import { follow } from './commands/follow.ts';
import { hosts } from './commands/hosts.ts';
import { images } from './commands/images.ts';
import { names } from './commands/names.ts';
import { onServer } from './commands/on-server.ts';
import { reach } from './commands/reach.ts';
import { rehearse } from './commands/rehearse.ts';
import { backup, volumes } from './commands/volumes.ts';
import { schema } from './commands/schema.ts';
import { Unusable } from './estate.ts';
import type { CommandGroup, CommandOf, Options, SubCommand } from './options.ts';
import { Refused } from './server.ts';

const commands: { name: string; about: string; run: CommandOf }[] = [
  { name: 'check', about: 'every finding about the estate, most serious first', run: check },
  { name: 'follow', about: 'what follows from a charter: hosts, addresses, names, ranges, certificates', run: follow },
  { name: 'files', about: 'the boot kit of a charter; with --out it is written to a folder', run: files },
];

/** Commands with commands below them; a new one is a file and a line. */
const groups: CommandGroup[] = [
  address,
  bundle,
  changes,
  charter,
  hosts,
  images,
  names,
  reach,
  rehearse,
  volumes,
  backup,
  schema,
];

export async function main(
  args: string[],
  write: (text: string) => void = (t) => process.stdout.write(t),
  complain: (text: string) => void = (t) => process.stderr.write(t),
): Promise<number> {
  let code = 0;
  // Programs read errors too: with --json they come as JSON, on the same stream.
  const json = args.includes('--json');
  const say = (of: 'usage' | 'unusable' | 'refused', message: string) =>
    complain(json ? `${JSON.stringify({ error: { code: of, message } })}\n` : `${message}\n`);
  const told = (text: string) => (json ? undefined : complain(text));
  const program = new Command('praesidor')
    .description('Works on an estate in YAML, without a server; changes of clusters are begun and followed on one.')
    .exitOverride()
    .configureOutput({ writeOut: write, writeErr: told });
  for (const c of commands) {
    const sub = program
      .command(c.name)
      .description(c.about)
      .requiredOption('--estate <dir>', 'folder with the estate as YAML')
      .option('--charter <name>', 'one charter only')
      .option('--json', 'for programs')
      .option('--now <time>', 'the time to compute with (ISO 8601); the clock otherwise')
      .exitOverride()
      .configureOutput({ writeOut: write, writeErr: told });
    if (c.name === 'files') sub.option('--out <dir>', 'folder to write to; it must be new or empty');
    sub.action((options: Options) => {
      code = c.run(options, write);
    });
  }
  const add = (to: Command, c: SubCommand) => {
    const sub = to
      .command(`${c.name} ${c.words ?? ''}`.trim())
      .description(c.about)
      .option('--json', 'for programs')
      .exitOverride()
      .configureOutput({ writeOut: write, writeErr: told });
    for (const [flags, about] of c.options ?? []) sub.option(flags, about);
    sub.action(async () => {
      code = await c.run({ words: sub.args, options: sub.opts() }, write);
    });
  };
  for (const c of onServer) add(program, c);
  for (const g of groups) {
    const group = program
      .command(g.name)
      .description(g.about)
      .exitOverride()
      .configureOutput({ writeOut: write, writeErr: told });
    for (const c of g.commands) add(group, c);
  }
  try {
    await program.parseAsync(args, { from: 'user' });
  } catch (e) {
    if (e instanceof Unusable) {
      say('unusable', e.message);
      return 2;
    }
    if (e instanceof Refused) {
      say('refused', e.message);
      return 1;
    }
    if (e instanceof CommanderError) {
      if (e.exitCode === 0) return 0;
      if (json) say('usage', e.message.replace(/^error: /, ''));
      return 2;
    }
    throw e;
  }
  return code;
}
