import type { Range } from '../address/index.ts';
import { comesAbout, type Way } from '../charter/comes-about.ts';
import { Charter } from '../model/charter.ts';
import { differences, type FieldChange, same } from '../model/difference.ts';
import type { OfTemplate } from '../model/of-template.ts';
import { answerText, readAnswer } from '../model/question.ts';
import { issuesOf } from '../model/read.ts';
import { type Blank, inOrder, type Template, type TemplateVersion, versionOf, withField } from '../model/template.ts';
import type { View } from '../reading/index.ts';
import { type Around, followRules } from './follow.ts';

/** A question of a template, with its answer for one cluster. */
export interface Answered {
  question: Blank;
  /** As it is written; undefined: nobody gave it, and it does not follow. */
  text: string | undefined;
  /** It follows, and from what. */
  why?: string;
  fault?: string;
}
export interface Drawn {
  answers: Answered[];
  /** Undefined while an answer is lacking or does not fit. */
  charter?: Charter;
  /** What keeps it from being a charter, by the question it is about where there is one. */
  faults: { question?: string; path?: string; message: string }[];
}

/**
 * The charter that a version of a template gives for some answers. What is not answered follows from other answers and from the estate, or
 * is the question's default. Deterministic; nothing is thrown.
 *
 * @param self the charter as it stands, where there is one: its own ranges and hosts are not in its way
 * @param site where it is begun, until the answers say so
 * @param used ranges that are taken beside those of the estate
 */
export function draw(
  template: { name: string } & TemplateVersion,
  given: NonNullable<OfTemplate['answers']>,
  view: View,
  { self, site = '', used }: { self?: Charter | undefined; site?: string; used?: readonly Range[] } = {},
): Drawn {
  const faults: Drawn['faults'] = [];
  const sorted = inOrder(template.questions);
  if ('circle' in sorted)
    return { answers: [], faults: [{ message: `questions follow from each other in a circle: ${sorted.circle.join(' → ')}` }] };
  const answers = new Map<string, Answered>();
  let tree: Record<string, unknown> = { ...template.charter };
  const field = (path: string) =>
    path.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], tree);
  const around = (): Around => ({
    view,
    site: String(field('site') ?? self?.site ?? site),
    field,
    answer: (key) => answers.get(key)?.text,
    self,
    used,
  });
  for (const q of sorted.order) {
    const set = given.find((a) => a.question === q.key)?.answer;
    const followed = set === undefined && q.follows ? followRules[q.follows.rule](q, around()) : undefined;
    const text = set ?? followed?.text ?? q.default;
    const read = text === undefined ? { fault: 'is not answered' } : readAnswer(q, text);
    const fault = 'fault' in read ? read.fault : undefined;
    answers.set(q.key, {
      question: q,
      text,
      ...(set === undefined && text !== undefined ? { why: followed?.why ?? 'the default' } : {}),
      ...(fault ? { fault } : {}),
    });
    if ('fault' in read) faults.push({ question: q.key, message: `${q.ask} ${text === undefined ? unanswered(q) : read.fault}` });
    else for (const path of q.sets) tree = withField(tree, path.split('.'), read.value);
  }
  const list = template.questions.flatMap((q) => answers.get(q.key) ?? []);
  const of: OfTemplate = {
    name: template.name,
    version: template.version,
    ...(given.length ? { answers: given } : {}),
    ...(self?.template?.onPurpose ? { onPurpose: self.template.onPurpose } : {}),
  };
  const read = Charter.safeParse({ ...tree, apiVersion: 'praesidor/v1', kind: 'Charter', template: of });
  if (read.success && !faults.length) return { answers: list, charter: read.data, faults };
  if (!read.success)
    for (const i of issuesOf(read.error, Charter)) {
      const path = i.path.join('.');
      const q = template.questions.find((x) => x.sets.some((s) => s === path || s.startsWith(`${path}.`)));
      if (q && faults.some((f) => f.question === q.key)) continue;
      faults.push({ ...(q ? { question: q.key } : {}), path, message: `${q ? `${q.ask} ` : ''}${path}: ${i.message}` });
    }
  return { answers: list, faults };
}

const unanswered = ({ follows }: Blank): string =>
  follows?.rule === 'free-prefix' ? `No /${follows.length} is free in ${follows.within}.` : 'It is not answered.';

/** A field in which a charter is otherwise than its template has it. */
export interface Departure extends FieldChange {
  /** `pods.range`. */
  field: string;
  onPurpose: boolean;
  /** The question that fills it, where one does. */
  question?: string;
}

/** What a charter says of itself, and not of what it is. */
const own = new Set(['template', 'apiVersion', 'kind', 'name', 'notes']);

/** The template that a charter came from, in the version that it has, with what that gives for it today. */
export function drawnFor(
  charter: Charter,
  view: View,
  version = charter.template?.version,
): (Drawn & { template: Template }) | undefined {
  const stands = view.get('Charter', charter.name) === charter;
  // Of one that stands it is asked by several: known once, known until something that was read has changed.
  return stands && version === charter.template?.version ? drawnOf(view, charter.name) : drawnAt(charter, view, version);
}
const drawnOf = (view: View, name: string) =>
  view.memo(`drawn of ${name}`, () => {
    const charter = view.get('Charter', name);
    return charter && drawnAt(charter, view, charter.template?.version);
  });
function drawnAt(charter: Charter, view: View, version: number | undefined): (Drawn & { template: Template }) | undefined {
  const template = charter.template && view.get('Template', charter.template.name);
  const content = template && version !== undefined ? versionOf(template, version) : undefined;
  if (!template || !content) return undefined;
  return { template, ...draw({ name: template.name, ...content }, charter.template?.answers ?? [], view, { self: charter }) };
}

/**
 * Where a charter departs from the template that it came from, field by field: `before` is what the template gives, `after` what stands.
 * Undefined: it came from none, from one that is gone, or from a version that is not known, or its answers no longer fit.
 *
 * @param version another than the one that it has: how far it is from that
 */
export function departures(charter: Charter, view: View, version = charter.template?.version): Departure[] | undefined {
  const drawn = drawnFor(charter, view, version);
  if (!drawn?.charter) return undefined;
  const meant = new Set(charter.template?.onPurpose ?? []);
  return differences(drawn.charter, charter)
    .filter((d) => !own.has(String(d.path[0])))
    .map((d) => {
      const field = d.path.join('.');
      const q = drawn.answers.find((a) => a.question.sets.includes(field));
      return {
        ...d,
        field,
        onPurpose: [...meant].some((m) => field === m || field.startsWith(`${m}.`)),
        ...(q ? { question: q.question.key } : {}),
      };
    });
}

/** A field that a version of a template changes, and the clusters that it would reach. */
export interface Reach {
  field: string;
  before?: unknown;
  after?: unknown;
  reaches: { charter: string; before?: unknown; after?: unknown; way: Way; why: string }[];
  /** Clusters of it that keep their own on purpose, or are otherwise already. */
  apart: string[];
}

/**
 * What one version of a template would change against another: for each field the clusters of it that would change, and how that comes
 * about. What a cluster has on purpose otherwise stays.
 *
 * @param after the version as it is to be, saved or not
 */
export function reachOf(
  template: Template,
  before: TemplateVersion,
  after: TemplateVersion,
  view: View,
): { fields: Reach[]; fail: { charter: string; message: string }[] } {
  const fields = new Map<string, Reach>();
  const fail: { charter: string; message: string }[] = [];
  for (const c of view.by('Charter', 'template', template.name)) {
    const given = c.template?.answers ?? [];
    const [was, is] = [before, after].map((v) => draw({ name: template.name, ...v }, given, view, { self: c }));
    if (!is?.charter) {
      fail.push({ charter: c.name, message: is?.faults[0]?.message ?? 'it cannot be drawn' });
      continue;
    }
    const meant = c.template?.onPurpose ?? [];
    const changes = differences(was?.charter ?? c, is.charter).filter((d) => !own.has(String(d.path[0])));
    const ways = new Map(comesAbout(c, is.charter).map((w) => [w.path, w]));
    for (const d of changes) {
      const field = d.path.join('.');
      const at = fields.get(field) ?? {
        field,
        ...('before' in d ? { before: d.before } : {}),
        ...('after' in d ? { after: d.after } : {}),
        reaches: [],
        apart: [],
      };
      fields.set(field, at);
      const stands = d.path.reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], c);
      if (meant.some((m) => field === m || field.startsWith(`${m}.`)) || same(stands, d.after)) at.apart.push(c.name);
      else {
        const w = ways.get(field);
        at.reaches.push({ charter: c.name, before: stands, after: d.after, way: w?.way ?? 'at once', why: w?.why ?? '' });
      }
    }
  }
  // Fields that are fixed and reach nobody are told all the same.
  for (const d of differences(before.charter, after.charter)) {
    const field = d.path.join('.');
    if (!fields.has(field))
      fields.set(field, {
        field,
        ...('before' in d ? { before: d.before } : {}),
        ...('after' in d ? { after: d.after } : {}),
        reaches: [],
        apart: [],
      });
  }
  return {
    fields: [...fields.values()].sort((a, b) => b.reaches.length - a.reaches.length || (a.field < b.field ? -1 : 1)),
    fail,
  };
}

/** A value of a charter as an answer is written, for a question that fills that field. */
export const answerFrom = (q: Blank, charter: Charter): string | undefined => {
  const [path] = q.sets;
  const value = path?.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], charter);
  return value === undefined ? undefined : answerText(value);
};
