import { componentsIn, isProgram, readManifests } from '../model/manifests.ts';
import type { Charter } from '../model/charter.ts';
import { type Addon, kinds } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import { readAnswer } from '../model/question.ts';
import { nameOf } from './parts.ts';

const set = (charter: Charter, path: string, value: unknown): Edit => ({
  op: 'set',
  kind: 'Charter',
  key: charter.name,
  path: [path],
  value,
});
const answersBut = (charter: Charter, addon: string) => (charter.answers ?? []).filter((a) => a.addon !== addon);
/** No answers at all are said by leaving the field out. */
const orNone = <T>(list: T[]) => (list.length ? list : undefined);

/**
 * What gives a cluster an add-on, with what is answered to its questions by key. An answer that is empty is left to the default of its question; one to
 * a question that is not asked is left out.
 */
export function installs(charter: Charter, addon: Addon, answers: ReadonlyMap<string, string> = new Map()): Edit[] {
  const given = (addon.questions ?? []).flatMap(({ key }) => {
    const answer = answers.get(key)?.trim();
    return answer ? [{ addon: addon.name, question: key, answer }] : [];
  });
  const now = orNone([...answersBut(charter, addon.name), ...given]);
  return [
    ...(charter.addons.includes(addon.name) ? [] : [set(charter, 'addons', [...charter.addons, addon.name])]),
    ...(JSON.stringify(now) === JSON.stringify(charter.answers) ? [] : [set(charter, 'answers', now)]),
  ];
}

/** What takes an add-on out of a cluster, with what was answered to it. */
export const takesAway = (charter: Charter, addon: string): Edit[] => [
  set(
    charter,
    'addons',
    charter.addons.filter((a) => a !== addon),
  ),
  ...(charter.answers?.some((a) => a.addon === addon) ? [set(charter, 'answers', orNone(answersBut(charter, addon)))] : []),
];

/** The questions of an add-on with what is answered to them: what is answered, what follows by default, and what is wrong. */
export const answered = (addon: Addon, answers: ReadonlyMap<string, string>) =>
  (addon.questions ?? []).map((question) => {
    const set = answers.get(question.key) || undefined;
    const text = set ?? question.default;
    const read = text === undefined ? undefined : readAnswer(question, text);
    return {
      question,
      text,
      ...(set === undefined && text !== undefined ? { why: 'by default' } : {}),
      ...(read === undefined ? { fault: 'Required.' } : 'fault' in read ? { fault: read.fault } : {}),
    };
  });

/** What manifests of somebody's own become, besides their text. */
export interface OwnApplication {
  name: string;
  title: string;
  version: string;
  /** The registry that its images come from. */
  source: string;
}

/** Manifests of somebody's own as an add-on of the estate, its images as components; or what keeps them from being one, each with its place. */
export function ownAddon(text: string, of: OwnApplication): { addon: Addon } | { faults: string[] } {
  const { faults, objects, images } = readManifests(text);
  if (faults.length) return { faults: faults.slice(0, 20).map((f) => `line ${f.line}: ${f.message}`) };
  if (!objects.length) return { faults: ['It holds no object.'] };
  if (!images.length) return { faults: ['No pod of it runs an image: there is nothing to bring to the cluster.'] };
  const read = kinds.Addon.safeParse({
    apiVersion: 'praesidor/v1',
    kind: 'Addon',
    ...of,
    components: componentsIn(text),
    manifests: text,
  });
  return read.success ? { addon: read.data } : { faults: read.error.issues.map((i) => `${i.path.join('.')}: ${i.message}`) };
}

/** What an application is called that nobody named yet: as its first program, with a number where that is taken. */
export function wishedName(text: string, taken: ReadonlySet<string>): string {
  const all = readManifests(text).objects.map(nameOf);
  const wish = (all.find(isProgram) ?? all[0])?.name.replace(/[^a-z0-9-]+/g, '-').replace(/^-|-$/g, '') || 'application';
  for (let n = 1; ; n += 1) {
    const name = n === 1 ? wish : `${wish}-${n}`;
    if (!taken.has(name)) return name;
  }
}
