import { addonsOf } from '../../model/bills.ts';
import { answerText, readAnswer } from '../../model/question.ts';
import type { Plan, Problem } from '../plan.ts';
import { aspect, because } from './aspect.ts';

/** What is answered to the add-ons: as set in the charter, else by the question's default. What nobody answered is a problem. */
export const answers = aspect<Pick<Plan, 'answers'>>({
  name: 'answers',
  compute: ({ charter, view }) => {
    const given = charter.answers ?? [];
    const problems: Problem[] = [];
    const wrong = (i: number, addon: string, question: string, text: string) =>
      problems.push({
        about: 'answers',
        path: i < 0 ? ['answers'] : ['answers', i, 'answer'],
        named: `${addon} ${question}`,
        text,
      });
    const out: Plan['answers'] = [];
    for (const name of addonsOf(charter))
      for (const q of view.get('Addon', name)?.questions ?? []) {
        const at = given.findIndex((a) => a.addon === name && a.question === q.key);
        const text = given[at]?.answer ?? q.default;
        const read = text === undefined ? undefined : readAnswer(q, text);
        if (!read) wrong(at, name, q.key, `${name} asks: ${q.ask}`);
        else if ('fault' in read) wrong(at, name, q.key, `${q.ask} ${read.fault}`);
        else
          out.push({
            addon: name,
            question: q.key,
            ask: q.ask,
            value: answerText(read.value),
            secret: q.type === 'secret',
            set: at >= 0,
          });
      }
    for (const [i, a] of given.entries())
      if (!addonsOf(charter).includes(a.addon) || !view.get('Addon', a.addon)?.questions?.some((q) => q.key === a.question))
        wrong(i, a.addon, a.question, `${a.addon} does not ask ${a.question}, or is not an add-on of this charter`);
    return { answers: out, problems };
  },
  lines: ({ answers: all }) =>
    all.length
      ? [
          {
            id: 'answers',
            section: 1,
            label: 'Add-on answers',
            text: all.map((a) => `${a.question} ${a.secret ? `from ${a.value}` : a.value}`).join('; '),
            why: all.map((a) =>
              because(a.set ? 'answered' : 'answered by default', { addon: a.addon, ask: a.ask, value: a.value }, ['addons']),
            ),
          },
        ]
      : [],
});
