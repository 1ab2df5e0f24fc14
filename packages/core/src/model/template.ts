import { z } from 'zod';
import { Charter } from './charter.ts';
import { same } from './difference.ts';
import { doc } from './doc.ts';
import { FieldPath } from './of-template.ts';
import { plainly } from './plainly.ts';
import { type Question, questionFaults, questionFields, type QuestionType } from './question.ts';
import { Cidr, Line, Name } from './words.ts';

/** What an answer follows from where nobody gives it; how each is found stands in `template/follow.ts`. */
export const FollowRule = z.enum([
  'same-as',
  'site',
  'cluster-name',
  'free-prefix',
  'machine-network',
  'mirror',
  'newest-release',
  'hosts-there',
  'control-plane',
  'workers-left',
]);
export type FollowRule = z.infer<typeof FollowRule>;

/** A blank of a template: what is asked for each cluster, which fields it fills, and what it follows from. */
export const Blank = z.strictObject({
  ...questionFields,
  sets: z.array(FieldPath).min(1).max(20),
  follows: z
    .strictObject({
      rule: FollowRule,
      /** With `same-as`: the question whose answer it has too. */
      from: Name.optional(),
      /** With `free-prefix`: the block that it comes from, and its length. */
      within: Cidr.optional(),
      length: z.number().int().min(1).max(128).optional(),
    })
    .optional(),
});
export type Blank = z.infer<typeof Blank>;

const content = {
  /** What this version changes, in a line. */
  note: Line(300).optional(),
  questions: z.array(Blank).max(100).default([]),
  /** The fields that are the same in each cluster of it. */
  charter: z.record(z.string(), z.unknown()),
};
export const TemplateVersion = z.strictObject({ version: z.number().int().min(1), ...content });
export type TemplateVersion = z.infer<typeof TemplateVersion>;

/** What answers are put for, to see whether the fields that they fill take such a thing. */
const samples: Record<QuestionType, (q: Blank) => unknown> = {
  text: () => 'sample',
  number: (q) => q.atLeast ?? q.atMost ?? 3,
  hosts: (q) => q.atLeast ?? 3,
  'yes-no': () => true,
  choice: (q) => q.choices?.[0] ?? 'sample',
  address: () => '10.255.0.1',
  prefix: (q) => q.follows?.within ?? '10.255.0.0/16',
  range: () => '10.255.0.10-10.255.0.19',
  site: () => 'sample',
  network: () => 'sample',
  registry: () => 'sample',
  secret: () => 'sample',
};
/** Text can be anything: that a field takes only some of it is said when it is answered. */
const isText = (q: Blank | undefined) => q?.type === 'text' || q?.type === 'choice';

type Tree = Record<string, unknown>;
/** A copy with a field set, whatever is on the way. */
export function withField(tree: Tree, path: readonly string[], value: unknown): Tree {
  const [head, ...rest] = path;
  if (head === undefined) return tree;
  const below = tree[head];
  return {
    ...tree,
    [head]: rest.length
      ? withField(typeof below === 'object' && below !== null && !Array.isArray(below) ? (below as Tree) : {}, rest, value)
      : value,
  };
}

/** What each question needs answered first: the one it is the same as, and for all that look at a site the one that says which. */
export function needsOfBlank(q: Blank, all: readonly Blank[]): string[] {
  const { rule, from } = q.follows ?? {};
  const that = (path: string) => all.filter((x) => x !== q && x.sets.includes(path)).map((x) => x.key);
  return [
    ...(from ? [from] : []),
    ...(rule && !['same-as', 'site', 'newest-release', 'free-prefix'].includes(rule) ? that('site') : []),
    ...(rule === 'workers-left' ? that('controlPlane.count') : []),
  ];
}

/** Questions in an order in which each comes after what it needs, or the circle that they make. */
export function inOrder(all: readonly Blank[]): { order: Blank[] } | { circle: string[] } {
  const order: Blank[] = [];
  const state = new Map<string, 'open' | 'done'>();
  const visit = (q: Blank, way: readonly string[]): string[] | undefined => {
    if (state.get(q.key) === 'done') return undefined;
    if (state.get(q.key) === 'open') return [...way.slice(way.indexOf(q.key)), q.key];
    state.set(q.key, 'open');
    for (const key of needsOfBlank(q, all)) {
      const next = all.find((x) => x.key === key);
      const circle = next && visit(next, [...way, q.key]);
      if (circle) return circle;
    }
    state.set(q.key, 'done');
    order.push(q);
    return undefined;
  };
  for (const q of all) {
    const circle = visit(q, []);
    if (circle) return { circle };
  }
  return { order };
}

/** Everything that is wrong with a version of a template, with its place in the document. */
export function templateFaults(
  t: Pick<TemplateVersion, 'questions' | 'charter'>,
): { path: (string | number)[]; message: string }[] {
  const out: { path: (string | number)[]; message: string }[] = [];
  const say = (path: (string | number)[], message: string) => out.push({ path, message });
  for (const f of questionFaults(t.questions as Question[])) say(['questions', f.at, f.field], f.message);
  const filledBy = new Map<string, Blank>();
  t.questions.forEach((q, i) => {
    q.sets.forEach((field, k) => {
      const other = filledBy.get(field);
      if (other) say(['questions', i, 'sets', k], `${field} is filled by ${other.key} already`);
      filledBy.set(field, q);
    });
    const { rule, from, within, length } = q.follows ?? {};
    if (rule === 'same-as' && !t.questions.some((x) => x.key === from && x !== q))
      say(['questions', i, 'follows', 'from'], from ? `there is no other question ${from}` : 'it is the same as which question?');
    if (rule === 'free-prefix' && (!within || !length))
      say(
        ['questions', i, 'follows', within ? 'length' : 'within'],
        'a free prefix has a length, and a block that it comes from',
      );
    if (rule === 'free-prefix' && within && length && length < Number(within.split('/')[1]))
      say(['questions', i, 'follows', 'length'], `/${length} is longer than ${within} is`);
  });
  const sorted = inOrder(t.questions);
  if ('circle' in sorted) {
    const at = t.questions.findIndex((q) => q.key === sorted.circle[0]);
    say(
      ['questions', at, 'follows'],
      `questions follow from each other in a circle: ${sorted.circle.join(' → ')}. Give one of them a default.`,
    );
  }
  // What a cluster of it would be, with something in each blank: what is wrong then is wrong for all.
  let tree: Tree = { ...t.charter, apiVersion: 'praesidor/v1', kind: 'Charter' };
  for (const q of t.questions) for (const field of q.sets) tree = withField(tree, field.split('.'), samples[q.type](q));
  for (const issue of Charter.safeParse(tree).error?.issues ?? []) {
    const path = issue.path.map(String);
    const q = filledBy.get(path.join('.'));
    if (isText(q)) continue;
    const at = q && t.questions.indexOf(q);
    if (at !== undefined && q) say(['questions', at, 'sets'], `${path.join('.')} takes no ${q.type}: ${plainly(issue.message)}`);
    else if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys) {
        const whole = [...path, key].join('.');
        const asked = [...filledBy].find(([field]) => field === whole || field.startsWith(`${whole}.`))?.[1];
        if (asked) say(['questions', t.questions.indexOf(asked), 'sets'], `a charter has no field ${whole}`);
        else say(['charter', ...path, key], `a charter has no field ${whole}`);
      }
    } else
      say(
        ['charter', ...path],
        /received undefined/.test(issue.message)
          ? `${path.join('.')} is missing: it is neither fixed nor asked`
          : plainly(issue.message),
      );
  }
  return out;
}

/** A charter with blanks: what is the same in every cluster of it, what is asked, and what follows. */
export const Template = doc('Template', {
  name: Name,
  title: Line(80).default(''),
  version: z.number().int().min(1).default(1),
  ...content,
  /** Versions before, kept for the clusters that came from them. */
  earlier: z.array(TemplateVersion).max(200).optional(),
}).superRefine((t, ctx) => {
  for (const f of templateFaults(t)) ctx.addIssue({ code: 'custom', path: f.path, message: f.message });
});
export type Template = z.infer<typeof Template>;

/** A version of a template: the one that stands, or one that was kept. */
export const versionOf = (t: Template, version: number): TemplateVersion | undefined =>
  version === t.version
    ? { version, note: t.note, questions: t.questions, charter: t.charter }
    : t.earlier?.find((v) => v.version === version);
/** Every version that is known, the newest first. */
export const versionsOf = (t: Template): TemplateVersion[] =>
  [...(t.earlier ?? []), versionOf(t, t.version) as TemplateVersion].sort((a, b) => b.version - a.version);

const sameContent = (a: Template, b: Template) => same(a.questions, b.questions) && same(a.charter, b.charter);
/**
 * A template as it is saved over another: where what it asks or fixes has changed, it is the next version, and the one before is kept.
 * One that was numbered by hand keeps its number.
 */
export function withVersionKept(before: Template | null, after: Template): Template {
  if (!before || sameContent(before, after) || before.version !== after.version) return after;
  const old = versionOf(before, before.version) as TemplateVersion;
  return {
    ...after,
    version: before.version + 1,
    earlier: [...(after.earlier ?? []).filter((v) => v.version !== old.version), old],
  };
}
