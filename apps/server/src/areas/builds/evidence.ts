import { kitFiles } from './kit-files.ts';
import { statusOf } from '../../engine/state.ts';
import type { EntityManager } from 'typeorm';
import type { KitFile } from '@praesidor/core/files';
import { unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { type BuildRow, ClusterSecrets, Keys } from '../../db/tables.ts';
import { secretOf } from '../clusters/pki.ts';
import { sha256 } from '../clusters/kit.ts';
import { nameOf } from './name.ts';

/**
 * Everything that shows how a change went: what was planned, what was written, what happened, who did what, and what was measured. No file of it
 * holds a secret of the keyring or of the cluster: whatever a machine or a program may have said of one is taken out.
 */
export async function evidenceOf(config: Config, m: EntityManager, b: BuildRow): Promise<KitFile[]> {
  const q = <T>(sql: string, values: unknown[]) => m.query(sql, values) as Promise<T[]>;
  const events = await q<{ data: unknown }>('select data from run_event where run = $1 order by id', [b.id]);
  const log = await q<{ step: string; at: Date; level: string; line: string }>(
    'select step, at, level, line from run_log where run = $1 order by id',
    [b.id],
  );
  const reports = await q<{ host: string; at: Date; data: object }>(
    'select host, at, data from build_report where build = $1 order by id',
    [b.id],
  );
  const acts = await q<{ at: Date; who: string; act: string; detail: object }>(
    "select at, who, act, detail from audit where (subject = $1 and detail->>'number' = $2) or who = $3 order by id",
    [b.charter, String(b.number), nameOf(b)],
  );
  const [kit] = await q<{ files: Buffer }>('select files from build_kit where build = $1', [b.id]);
  const written = kit ? Object.entries(kitFiles(kit.files)) : [];
  const status = await statusOf(m, b);
  const lines = (list: readonly unknown[]) => list.map((x) => `${JSON.stringify(x)}\n`).join('');
  const files: [path: string, content: string][] = [
    ['README.txt', readme],
    [
      'change.json',
      JSON.stringify(
        {
          ...{ cluster: b.charter, number: b.number, kind: b.kind, title: b.title, revision: b.revision, moves: b.moves },
          ...{ begunBy: b.createdBy, asked: b.createdAt, begun: status.begun, ended: status.ended, state: status.state },
          decided: { erase: b.erase, ...b.decided },
          steps: b.steps.map((s) => ({ id: s.id, kind: s.kind, host: s.host, ...status.steps[s.id] })),
        },
        null,
        2,
      ),
    ],
    ['events.jsonl', lines(events.map((e) => e.data))],
    ['log.txt', log.map((l) => `${l.at.toISOString()} ${l.step} ${l.level} ${l.line}\n`).join('')],
    ['first-boots.jsonl', lines(reports)],
    ['acts.jsonl', lines(acts)],
    ['plan.json', JSON.stringify(b.plan, null, 2)],
    ['proof.json', JSON.stringify(b.proof, null, 2)],
    ['kit-SHA256SUMS', written.map(([path, content]) => `${sha256(content)}  ${path}\n`).join('')],
  ];
  const hide = await hiding(config, m, b.charter);
  return files.map(([path, content]) => ({ path, content: hide(content), from: [], secret: false }));
}

const readme = `What shows how this change of the cluster went.

change.json       what it was, who began it, what was decided, and how each step ended
acts.jsonl        who did what, from the record
events.jsonl      what happened, in order; the state of the change follows from it
log.txt           what each step said
first-boots.jsonl what the machines reported of their first boot
plan.json         the plan that was carried out
proof.json        what was measured at the end, with what was seen
kit-SHA256SUMS    checksums of the files that were written, with placeholders where a secret stands
SHA256SUMS        checksums of the files here: sha256sum -c SHA256SUMS

Secrets of the keyring and of the cluster are not in here.
`;

/** Takes every secret out of a text, whoever put it there: as it is, as JSON writes it, in base64, and as a line of a key. */
async function hiding(config: Config, m: EntityManager, charter: string): Promise<(text: string) => string> {
  const found = new Map<string, string>();
  const add = (secret: string, name: string) => {
    // What is as short as a word stands in texts for other reasons, and is no secret worth the name.
    if (secret.length < 6) return;
    for (const form of [secret, JSON.stringify(secret).slice(1, -1), Buffer.from(secret).toString('base64')])
      found.set(form, name);
  };
  for (const e of await m.find(Keys)) {
    const secret = unseal(config.keyringKey, e.sealed, e.name);
    add(secret, `secret of ${e.name}`);
    found.set(Buffer.from(`${e.user}:${secret}`).toString('base64'), `secret of ${e.name}`);
  }
  for (const s of await m.findBy(ClusterSecrets, { charter })) {
    // A certificate is shown to everybody; a key to nobody.
    if (s.name.endsWith('.crt') || s.name.endsWith('.pub')) continue;
    const text = secretOf(config, charter, s);
    add(text, s.name);
    for (const line of text.split('\n')) if (line.length >= 40 && !line.startsWith('-----')) found.set(line, s.name);
  }
  const forms = [...found].sort((a, b) => b[0].length - a[0].length);
  return (text) => forms.reduce((t, [form, name]) => (t.includes(form) ? t.replaceAll(form, `(${name})`) : t), text);
}
