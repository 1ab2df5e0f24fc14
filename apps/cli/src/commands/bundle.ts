import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { BundleBrought, BundleChanges, BundleMade, BundleTaken, OtherInstallations } from '@praesidor/contract';
import type { Collision, FieldChange } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { Unusable } from '../estate.ts';
import { type CommandGroup, type SubCommand, tell } from '../options.ts';
import { Refused, Server, serverOptions } from '../server.ts';

const numbered = (word: string | undefined): number => {
  const n = Number(word);
  if (!Number.isInteger(n) || n < 1)
    throw new Unusable(`${word}: say which bundle by its number, as bundle bring or list tells it`);
  return n;
};
const asText = (v: unknown) => (v === undefined ? '—' : typeof v === 'string' ? v : JSON.stringify(v));
const pathOf = (path: readonly (string | number)[]) => path.join('.');

/** What a bundle would change, in lines; a field that was set otherwise at both is marked. */
function lines(of: BundleChanges): string[] {
  const out = [
    `bundle ${of.bundle.number} ${of.bundle.way === 'to' ? 'for' : 'of'} ${of.name}, made ${of.bundle.made} by ${of.bundle.madeBy}: ${of.bundle.state}`,
  ];
  for (const c of of.changes) {
    out.push(`  ${c.what} ${c.kind} ${c.key}`);
    for (const f of c.what === 'changed' ? (c.fields as FieldChange[]) : [])
      out.push(`    ${pathOf(f.path)}: ${asText(f.before)} → ${asText(f.after)}`);
    for (const x of c.collisions as Collision[])
      out.push(`    set otherwise at both, ${pathOf(x.path)}: here ${asText(x.theirs)}, there ${asText(x.mine)}`);
  }
  if (!of.changes.length) out.push('  the plan stays as it is');
  if (of.observed.length) out.push(`  ${counted(of.observed.length, 'observation')} that are later than those here`);
  for (const e of of.evidence) out.push(`  evidence: ${e.title}, ${e.state}`);
  return out;
}

const list: SubCommand = {
  name: 'list',
  about: 'the installations that are known here, where they stand, and the bundles exchanged with each',
  options: serverOptions,
  run: (asked, write) =>
    Server.with(asked, async (server) => {
      const all = await server.get('/api/installations', OtherInstallations);
      tell(asked, write, all, [
        `${all.own.name}: this installation`,
        ...all.others.flatMap((o) => [
          `${o.name}: ${o.sites.join(', ') || 'no site'}`,
          ...o.bundles.map((b) => `  ${b.id}: bundle ${b.number} ${b.way === 'to' ? 'for' : 'of'} it, ${b.state}, ${b.made}`),
        ]),
      ]);
      return 0;
    }),
};

const make: SubCommand = {
  name: 'make',
  about: 'the part of the plan that another installation needs, as a file to be carried',
  words: '<installation>',
  options: [['--out <file>', 'where it is written; the file must be new'], ...serverOptions],
  run: (asked, write) => {
    const [name = ''] = asked.words;
    const file = asked.options.out;
    if (typeof file !== 'string' || !file) throw new Unusable('--out: say which file it is written to');
    if (existsSync(file)) throw new Unusable(`--out: ${file} is there already`);
    return Server.with(asked, async (server) => {
      const made = await server.post(`/api/installations/${encodeURIComponent(name)}/bundles`, {}, BundleMade);
      const bytes = await server.file(`/api/bundles/${made.id}/file`);
      writeFileSync(file, bytes, { flag: 'wx', mode: 0o600 });
      tell(asked, write, { ...made, file, bytes: bytes.length }, [
        `bundle ${made.number} for ${name}: ${file}, ${Math.ceil(bytes.length / 1000)} kB`,
      ]);
      return 0;
    });
  },
};

const bring: SubCommand = {
  name: 'bring',
  about: 'a bundle that was carried here: its signature is verified, and what it would change is shown; nothing is changed',
  words: '<file>',
  options: serverOptions,
  run: (asked, write) => {
    const [file = ''] = asked.words;
    if (!existsSync(file)) throw new Unusable(`there is no file ${file}`);
    return Server.with(asked, async (server) => {
      const brought = await server.bring('/api/bundles', readFileSync(file), 'application/gzip', BundleBrought);
      const would = await server.get(`/api/bundles/${brought.id}`, BundleChanges);
      tell(asked, write, { ...brought, would }, [...lines(would), `to take it in: praesidor bundle take-in ${brought.id}`]);
      return 0;
    });
  },
};

const look: SubCommand = {
  name: 'look',
  about: 'what a bundle would change, as things stand now',
  words: '<number>',
  options: serverOptions,
  run: (asked, write) => {
    const id = numbered(asked.words[0]);
    return Server.with(asked, async (server) => {
      const would = await server.get(`/api/bundles/${id}`, BundleChanges);
      tell(asked, write, would, lines(would));
      return 0;
    });
  },
};

const takeIn: SubCommand = {
  name: 'take-in',
  about:
    'makes what a bundle changes, in one act; exit 1 where a field was set otherwise at both and --keep does not say what stays',
  words: '<number>',
  options: [['--keep <here|there>', 'what stays of every field that was set otherwise at both'], ...serverOptions],
  run: (asked, write) => {
    const id = numbered(asked.words[0]);
    const { keep } = asked.options;
    if (keep !== undefined && keep !== 'here' && keep !== 'there') throw new Unusable(`--keep ${keep}: here or there`);
    return Server.with(asked, async (server) => {
      const { changes } = await server.get(`/api/bundles/${id}`, BundleChanges);
      const both = changes.flatMap((c) => (c.collisions as Collision[]).map((x) => ({ kind: c.kind, key: c.key, path: x.path })));
      if (both.length && keep === undefined)
        throw new Refused(
          [
            `${counted(both.length, 'field')} ${both.length === 1 ? 'was' : 'were'} set otherwise here and there. --keep says what stays of all of them; one by one they are chosen on the page of the bundle.`,
            ...both.map((x) => `  ${x.kind} ${x.key} ${pathOf(x.path)}`),
          ].join('\n'),
        );
      const choices = both.map((x) => ({ ...x, keep }));
      const taken = await server.post(`/api/bundles/${id}/take-in`, { choices }, BundleTaken);
      tell(asked, write, taken, [
        `taken in: ${counted(taken.documents, 'document')}, ${counted(taken.observed, 'observation')}, the evidence of ${counted(taken.changes, 'change')}`,
      ]);
      return 0;
    });
  },
};

/** The part of the plan that goes to another installation, and what comes back, as files. */
export const bundle: CommandGroup = {
  name: 'bundle',
  about: 'what is exchanged with another installation: made, brought, looked at, taken in',
  commands: [list, make, bring, look, takeIn],
};
