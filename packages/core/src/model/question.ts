import { z } from 'zod';
import { formatIp, formatPrefix, formatRange, isIp, parseIp, parsePrefix, parseRange } from '../address/parse.ts';
import { nearest } from './nearest.ts';
import { Line, Name } from './words.ts';

/** What an answer is: a secret is the name of an entry of the keyring, never the secret itself. */
export const QuestionType = z.enum([
  'text',
  'number',
  'yes-no',
  'choice',
  'address',
  'prefix',
  'range',
  'site',
  'network',
  'registry',
  'hosts',
  'secret',
]);
export type QuestionType = z.infer<typeof QuestionType>;

const fields = {
  key: Name,
  ask: Line(200, 1),
  type: QuestionType.default('text'),
  help: Line(300).optional(),
  choices: z.array(Line(80, 1)).max(50).optional(),
  atLeast: z.number().optional(),
  atMost: z.number().optional(),
  /** What stands for an answer that is not given; as an answer is written. */
  default: Line(500).optional(),
};
/** Something that is asked once for each cluster. */
export const Question = z.strictObject(fields);
export type Question = z.infer<typeof Question>;
export const questionFields = fields;
export const Answer = z.strictObject({ question: Name, answer: Line(500) });
export type Answer = z.infer<typeof Answer>;

export type AnswerValue = string | number | boolean;
type Read = { value: AnswerValue } | { fault: string };
const wrong = (fault: string): Read => ({ fault });

/** One reader for each type: what an answer means, or what is wrong with it. */
const readers: Record<QuestionType, (text: string, q: Question) => Read> = {
  text: (t) => ({ value: t }),
  number: (t, q) => {
    const n = Number(t.trim());
    if (!t.trim() || !Number.isFinite(n)) return wrong(`${JSON.stringify(t)} is no number`);
    if (q.atLeast !== undefined && n < q.atLeast) return wrong(`${n} is less than ${q.atLeast}`);
    if (q.atMost !== undefined && n > q.atMost) return wrong(`${n} is more than ${q.atMost}`);
    return { value: n };
  },
  hosts: (t, q) => (/^\d+$/.test(t.trim()) ? readers.number(t, q) : wrong(`${JSON.stringify(t)} is no number of hosts`)),
  'yes-no': (t) =>
    /^(yes|true)$/i.test(t)
      ? { value: true }
      : /^(no|false)$/i.test(t)
        ? { value: false }
        : wrong(`${JSON.stringify(t)} is neither yes nor no`),
  choice: (t, q) => {
    const all = q.choices ?? [];
    if (all.includes(t)) return { value: t };
    const near = nearest(t, all);
    return wrong(`${JSON.stringify(t)} is not one of ${all.join(', ')}${near ? `; did you mean ${near}?` : ''}`);
  },
  address: (t) => (isIp(t.trim()) ? { value: formatIp(parseIp(t.trim())) } : wrong(`${JSON.stringify(t)} is no address`)),
  prefix: (t) => {
    try {
      return { value: formatPrefix(parsePrefix(t.trim())) };
    } catch (cause) {
      return wrong((cause as Error).message);
    }
  },
  range: (t) => {
    try {
      return { value: formatRange(parseRange(t.trim())) };
    } catch (cause) {
      return wrong((cause as Error).message);
    }
  },
  site: (t) => name(t),
  network: (t) => name(t),
  registry: (t) => name(t),
  secret: (t) => name(t),
};
const name = (t: string): Read => {
  const read = Name.safeParse(t.trim());
  return read.success ? { value: read.data } : wrong(read.error.issues[0]?.message ?? 'no name');
};

/** What an answer to a question means, or what is wrong with it, in words. */
export const readAnswer = (q: Question, text: string): Read => readers[q.type](text, q);
/** A value as an answer is written. */
export const answerText = (value: unknown): string => (value === true ? 'yes' : value === false ? 'no' : String(value ?? ''));

/** What is wrong with a list of questions itself: two of one key, a choice without choices, a default that is none. */
export function questionFaults(questions: readonly Question[]): { at: number; field: string; message: string }[] {
  return questions.flatMap((q, at) => {
    const out: { at: number; field: string; message: string }[] = [];
    if (questions.findIndex((x) => x.key === q.key) !== at)
      out.push({ at, field: 'key', message: `a question ${q.key} stands above already` });
    if (q.type === 'choice' && !q.choices?.length)
      out.push({ at, field: 'choices', message: 'a choice has at least one value to choose' });
    const read = q.default === undefined ? undefined : readAnswer(q, q.default);
    if (read && 'fault' in read) out.push({ at, field: 'default', message: read.fault });
    return out;
  });
}
