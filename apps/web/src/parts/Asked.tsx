import { type Estate, optionsFor, type Question, type Reference } from '@praesidor/core/model';
import { useId } from 'react';

/** A question with what is answered to it, or what follows where nothing is. */
export interface AskedQuestion {
  question: Pick<Question, 'key' | 'ask' | 'help' | 'type' | 'choices'>;
  /** As it is written; undefined: nobody gave it, and it does not follow. */
  text: string | undefined;
  /** It follows, and from what. */
  why?: string;
  fault?: string;
}
/** What a question of each type can be answered with, where that is known. */
const refers: Partial<Record<Question['type'], Reference>> = {
  site: { kind: 'Site', anywhere: true },
  network: { kind: 'Network' },
  registry: { kind: 'Registry', roles: ['starter', 'standing'], anywhere: true },
  secret: { key: 'other' },
};

/** What a question can be answered with, where that is known; none: anything. */
export function optionsOf(
  { type, choices }: Pick<Question, 'type' | 'choices'>,
  estate: Estate | undefined,
  site: string,
): string[] {
  if (type === 'choice') return choices ?? [];
  if (type === 'yes-no') return ['yes', 'no'];
  const to = refers[type];
  return to && estate ? optionsFor(to, estate, { site }) : [];
}

/** A question, and its answer: what follows is plum until something is typed, and follows again when that is taken out. */
export function Asked({
  of,
  set,
  options,
  onAnswer,
}: {
  of: AskedQuestion;
  set: string | undefined;
  options: string[];
  onAnswer: (text: string) => void;
}) {
  const id = useId();
  const { question: q } = of;
  const follows = set === undefined && of.text !== undefined;
  const wrong = of.fault && of.text !== undefined;
  const look = `w-full border bg-leaf px-2 py-1 ${wrong ? 'border-brick' : 'border-rule-2'}`;
  return (
    <tr>
      <td>
        <label htmlFor={id}>{q.ask}</label>
        {q.help && <div className="text-ink-3 text-sm">{q.help}</div>}
      </td>
      <td>
        {options.length ? (
          <select
            id={id}
            className={`${look} ${follows ? 'text-plum' : ''}`}
            value={set ?? ''}
            onChange={(e) => onAnswer(e.target.value)}
          >
            <option value="">{follows ? `↳ ${of.text}` : 'choose'}</option>
            {options.map((o) => (
              <option key={o}>{o}</option>
            ))}
          </select>
        ) : (
          <input
            id={id}
            className={`${look} ${follows ? 'placeholder:text-plum' : ''}`}
            value={set ?? ''}
            placeholder={follows ? `↳ ${of.text}` : ''}
            aria-invalid={!!wrong}
            aria-describedby={`${id}-why`}
            autoComplete="off"
            onChange={(e) => onAnswer(e.target.value)}
          />
        )}
        <div id={`${id}-why`} className={`text-sm ${wrong ? 'text-brick' : 'text-ink-3'}`}>
          {wrong ? of.fault : of.text === undefined ? 'Required.' : of.why}
        </div>
      </td>
    </tr>
  );
}
