import { type Change, comesAbout, consequences, resolve, reasonText } from '@praesidor/core/charter';
import { Checker } from '@praesidor/core/checks';
import { bootKit, fileChanges, placeholder } from '@praesidor/core/files';
import {
  applyEdits,
  type Charter,
  charterLike,
  type Doc,
  differences,
  type Estate,
  keyOf,
  nearest,
  readDocuments,
  starterText,
  writeDocument,
} from '@praesidor/core/model';
import { viewOf } from '@praesidor/core/reading';
import { departures, draw } from '@praesidor/core/template';
import { chartersOf, estateOf, estateOption, nowOption, readText, Unusable } from '../estate.ts';
import type { Asked, CommandGroup, Options, SubCommand } from '../options.ts';
import { change } from './change.ts';
import { check } from './check.ts';
import { files } from './files.ts';
import { follow } from './follow.ts';

const text = (v: string | boolean | undefined): string | undefined => (typeof v === 'string' ? v : undefined);

const charterOf = (estate: Estate, name = ''): Charter => chartersOf(estate, name || '?')[0] as Charter;
/** What the commands above this group take, from what those below it were given. */
const asOptions = ({ words, options }: Asked): Options => ({
  estate: text(options.estate) ?? '',
  charter: words[0] ?? '',
  json: options.json === true,
  ...(text(options.out) ? { out: text(options.out) as string } : {}),
  ...(text(options.now) ? { now: text(options.now) as string } : {}),
});
/** Documents of a file. @throws Unusable with every fault at its line */
function documentsIn(file: string): Doc[] {
  const { docs, faults } = readDocuments(readText(file), file);
  if (faults.length)
    throw new Unusable(
      faults.map((f) => `${f.file}:${f.line}:${f.column}: ${f.path ? `${f.path}: ` : ''}${f.message}`).join('\n'),
    );
  return docs.map((d) => d.doc);
}
const shown = (v: unknown): string => (v === undefined ? '—' : typeof v === 'string' ? v : JSON.stringify(v));

const begin: SubCommand = {
  name: 'new',
  words: '<name>',
  about: 'text to begin a charter with: what can be known already is in it',
  options: [
    estateOption,
    ['--site <name>', 'the site that it is for'],
    ['--from <charter>', 'a neighbour whose choices are kept'],
    ['--template <name>', 'a template; what is not answered follows'],
    ['--answers <list>', 'answers to its questions: key=value, with ; between them'],
    nowOption,
  ],
  run: (asked, write) => {
    const estate = estateOf(asked);
    const [name = ''] = asked.words;
    if (estate.charters.some((c) => c.name === name)) throw new Unusable(`there is a charter ${name} already`);
    const site = text(asked.options.site) ?? estate.sites[0]?.name;
    if (!site || !estate.sites.some((s) => s.name === site)) {
      const near = nearest(
        site ?? '',
        estate.sites.map((s) => s.name),
      );
      throw new Unusable(`--site: there is no site ${site ?? ''}${near ? `; did you mean ${near}?` : ''}`);
    }
    const from = text(asked.options.from);
    const template = text(asked.options.template);
    if (from && template) throw new Unusable('--from, --template: one of them');
    if (template) {
      const drawn = fromTemplate(estate, template, site, text(asked.options.answers) ?? '', name);
      write(asked.options.json ? `${JSON.stringify({ text: drawn })}\n` : drawn);
      return 0;
    }
    const charter = from ? { ...charterLike(charterOf(estate, from), estate, site), name } : undefined;
    const out = charter ? writeDocument(charter) : starterText('Charter', estate, site).replace(/^name: .*$/m, `name: ${name}`);
    write(asked.options.json ? `${JSON.stringify({ text: out })}\n` : out);
    return 0;
  },
};

/** The text of a charter that a template gives. @throws Unusable with every question that has no answer */
function fromTemplate(estate: Estate, wanted: string, site: string, given: string, name: string): string {
  const template = estate.templates.find((t) => t.name === wanted);
  if (!template) {
    const near = nearest(
      wanted,
      estate.templates.map((t) => t.name),
    );
    throw new Unusable(`--template: there is no template ${wanted}${near ? `; did you mean ${near}?` : ''}`);
  }
  const answers = given
    .split(';')
    .map((a) => a.trim())
    .filter(Boolean)
    .map((a) => ({ question: a.split('=')[0]?.trim() ?? '', answer: a.slice(a.indexOf('=') + 1).trim() }));
  const keys = template.questions.map((q) => q.key);
  for (const a of answers)
    if (!keys.includes(a.question)) {
      const near = nearest(a.question, keys);
      throw new Unusable(
        `--answers: ${wanted} does not ask ${a.question}${near ? `; did you mean ${near}?` : `; it asks ${keys.join(', ')}`}`,
      );
    }
  const called = template.questions.find((q) => q.sets.includes('name'));
  const all =
    called && !answers.some((a) => a.question === called.key) ? [...answers, { question: called.key, answer: name }] : answers;
  const { charter: made, faults } = draw({ ...template }, all, viewOf(estate), { site });
  if (!made) throw new Unusable(faults.map((f) => `${f.question ? `${f.question}: ` : ''}${f.message}`).join('\n'));
  return writeDocument(made);
}

const why: SubCommand = {
  name: 'why',
  words: '<charter> [line]',
  about: 'why something follows: the rules and fields it came from; without a line, which lines there are',
  options: [estateOption, nowOption],
  run: (asked, write) => {
    const estate = estateOf(asked);
    const [name, wanted] = asked.words;
    const { follows } = resolve(charterOf(estate, name), estate);
    if (!wanted) {
      if (asked.options.json) write(`${JSON.stringify(follows.map(({ id, label, text: t }) => ({ id, label, text: t })))}\n`);
      else for (const f of follows) write(`${f.id.padEnd(16)} ${f.label.padEnd(18)} ${f.text}\n`);
      return 0;
    }
    const f = follows.find((x) => x.id === wanted || x.label.toLowerCase() === wanted.toLowerCase());
    if (!f) {
      const near = nearest(
        wanted,
        follows.map((x) => x.id),
      );
      throw new Unusable(`nothing that follows is called ${wanted}${near ? `; did you mean ${near}?` : ''}`);
    }
    if (asked.options.json)
      write(`${JSON.stringify({ ...f, why: f.why.map((r) => ({ ...r, says: reasonText(r) })) }, null, 2)}\n`);
    else {
      write(`${f.label}: ${f.text}\n`);
      for (const r of f.why) write(`  ${reasonText(r)}${r.field ? `   (${r.field.join('.')})` : ''}\n`);
    }
    return 0;
  },
};

const kitOf = (c: Charter, estate: Estate) =>
  new Map(
    bootKit({
      plan: resolve(c, estate),
      estate,
      secret: placeholder(c.name),
      installation: c.name,
      bootUrl: () => '(boot address)',
      reportUrl: () => '(address for reports)',
    }).map((f) => [f.path, f.content]),
  );
const told: SubCommand = {
  name: 'consequences',
  words: '<file>',
  about: 'what documents of a file would change: of each charter, its files, and what the checks find',
  options: [estateOption, ['--lines', 'the lines that differ in each file'], nowOption],
  run: (asked, write) => {
    const before = estateOf(asked);
    const docs = documentsIn(asked.words[0] ?? '');
    const after = applyEdits(
      before,
      docs.map((doc) => ({ op: 'put' as const, doc })),
    );
    const checker = new Checker();
    const was = checker.run(before).findings;
    const is = checker.run(after).findings;
    const key = (f: { id: string; text: string }) => `${f.id} ${f.text}`;
    const had = new Set(was.map(key));
    const has = new Set(is.map((f) => f.id));
    const added = is.filter((f) => !had.has(key(f)));
    const removed = was.filter((f) => !has.has(f.id));
    const charters = after.charters.flatMap((c) => {
      const old = before.charters.find((x) => x.name === c.name);
      const changes = consequences(old && resolve(old, before), resolve(c, after), before);
      const [wasFiles, isFiles] = [old ? kitOf(old, before) : new Map<string, string>(), kitOf(c, after)];
      const changed = fileChanges(wasFiles, isFiles);
      const stands = before.hosts.some((h) => h.held?.charter === c.name && h.state === 'serving');
      const comes = old && stands ? comesAbout(old, c) : [];
      return changes.length || changed.length || comes.length ? [{ charter: c.name, comes, changes, files: changed }] : [];
    });
    if (asked.options.json) write(`${JSON.stringify({ charters, findings: { added, removed } }, null, 2)}\n`);
    else {
      const sign = { added: '+', changed: '~', removed: '−' } as const;
      const line = (c: Change) =>
        `  ${sign[c.how]} ${c.what} ${c.subject}: ${[c.before, c.after].filter(Boolean).join(' → ')}${c.disruptive ? `   (${c.disruptive})` : ''}\n`;
      for (const c of charters) {
        write(`${c.charter}\n`);
        for (const x of c.comes) write(`  ${x.path}: ${x.way}, ${x.why}\n`);
        for (const x of c.changes) write(line(x));
        for (const f of c.files) {
          write(`  ${sign[f.how]} file ${f.path}: ${f.more} lines more, ${f.less} less\n`);
          if (asked.options.lines && f.how === 'changed')
            for (const h of f.hunks) {
              write(`    line ${h.line}\n`);
              for (const l of h.lines) write(`    ${l.sign} ${l.text}\n`);
            }
        }
      }
      for (const f of added) write(`comes: ${f.severity} ${f.code} ${f.title}\n`);
      for (const f of removed) write(`goes: ${f.severity} ${f.code} ${f.title}\n`);
      if (!charters.length && !added.length && !removed.length) write('nothing changes\n');
    }
    return added.some((f) => f.severity === 'stop') ? 1 : 0;
  },
};

const difference: SubCommand = {
  name: 'diff',
  words: '<charter> [file]',
  about: 'field by field, how a charter differs from one in a file, from another by name, or from its template',
  options: [estateOption, nowOption],
  run: (asked, write) => {
    const estate = estateOf(asked);
    const [name = '', other = ''] = asked.words;
    const one = charterOf(estate, name);
    if (!other) {
      const list = departures(one, viewOf(estate));
      if (!list)
        throw new Unusable(
          one.template ? `what ${name} departs in cannot be said: see its findings` : `${name} came from no template`,
        );
      if (asked.options.json) write(`${JSON.stringify(list, null, 2)}\n`);
      else
        for (const d of list)
          write(`${d.field}: ${shown(d.before)} → ${shown(d.after)}${d.onPurpose ? '   (on purpose)' : ''}\n`);
      return list.some((d) => !d.onPurpose) ? 1 : 0;
    }
    const named = estate.charters.find((c) => c.name === other);
    const two =
      named ?? documentsIn(other).find((d) => d.kind === 'Charter' && (keyOf(d) === name || documentsIn(other).length === 1));
    if (!two) throw new Unusable(`${other} holds no charter ${name}`);
    const list = differences(one, two);
    if (asked.options.json) write(`${JSON.stringify(list, null, 2)}\n`);
    else for (const d of list) write(`${d.path.join('.')}: ${shown(d.before)} → ${shown(d.after)}\n`);
    return list.length ? 1 : 0;
  },
};

/** What an engineer asks of one charter, without a server. */
export const charter: CommandGroup = {
  name: 'charter',
  about: 'one charter: begun, checked, followed, explained, compared',
  commands: [
    begin,
    {
      name: 'check',
      words: '<charter>',
      about: 'its findings, most serious first',
      options: [estateOption, nowOption],
      run: (a, w) => check(asOptions(a), w),
    },
    {
      name: 'follow',
      words: '<charter>',
      about: 'what follows from it',
      options: [estateOption, nowOption],
      run: (a, w) => follow(asOptions(a), w),
    },
    why,
    told,
    change(estateOf, charterOf),
    {
      name: 'files',
      words: '<charter>',
      about: 'its boot kit',
      options: [estateOption, ['--out <dir>', 'folder to write to; it must be new or empty'], nowOption],
      run: (a, w) => files(asOptions(a), w),
    },
    difference,
  ],
};
