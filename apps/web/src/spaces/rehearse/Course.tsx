import { caseTitle, type Loss, lossOf, type Verdict } from '@praesidor/core/rehearse';

/** How a loss goes on: by whom, until when, and what is lost after it. */
export interface Asks {
  drained: boolean;
  /** Minutes after which it is back; undefined: it is not. */
  back: number | undefined;
  next: Verdict | undefined;
  /** Minutes after the first. */
  after: number;
}
const minute = 60_000;
const number = (text: string | null, most: number): number | undefined => {
  const n = Number(text);
  return text && Number.isInteger(n) && n >= 0 && n <= most ? n : undefined;
};
const week = 7 * 24 * 60;

export const courseOf = (params: URLSearchParams, cases: readonly Verdict[]): Asks => ({
  drained: params.get('how') === 'drained',
  back: number(params.get('back'), week),
  next: cases.find((v) => caseTitle(v.case) === params.get('next')),
  after: number(params.get('after'), week) ?? 10,
});

export function lossesOf(first: Verdict, { drained, back, next, after }: Asks): Loss[] {
  return [
    { ...lossOf(first.case), ...(drained ? { drained } : {}), ...(back === undefined ? {} : { back: back * minute }) },
    ...(next ? [{ ...lossOf(next.case), at: after * minute }] : []),
  ];
}

const field = 'border border-rule-2 bg-leaf px-2 py-1';

/** Three more questions: is the host drained first, when is it back, what is lost next. */
export function Course({
  asks,
  cases,
  chosen,
  onSet,
}: {
  asks: Asks;
  cases: readonly Verdict[];
  chosen: Verdict;
  onSet: (what: Record<string, string>) => void;
}) {
  const hosts = chosen.case.hosts.length > 0;
  const others = cases.filter((v) => (v.case.sort === 'host' || v.case.sort === 'service') && v !== chosen);
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-2 pt-2">
      {hosts && (
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">How</span>
          <select value={asks.drained ? 'drained' : 'power'} onChange={(e) => onSet({ how: e.target.value })} className={field}>
            <option value="power">without power, at once</option>
            <option value="drained">taken out of use, drained first</option>
          </select>
        </label>
      )}
      <label className="flex items-baseline gap-2">
        <span className="text-ink-2">Back after</span>
        <input
          type="number"
          min={0}
          max={week}
          placeholder="never"
          value={asks.back ?? ''}
          onChange={(e) => onSet({ back: e.target.value })}
          className={`${field} w-20`}
        />
        <span className="text-ink-2">min</span>
      </label>
      <label className="flex items-baseline gap-2">
        <span className="text-ink-2">Then lost</span>
        <select
          value={asks.next ? caseTitle(asks.next.case) : ''}
          onChange={(e) => onSet({ next: e.target.value })}
          className={field}
        >
          <option value="">nothing else</option>
          {others
            .map((v) => caseTitle(v.case))
            .sort()
            .map((n) => (
              <option key={n}>{n}</option>
            ))}
        </select>
      </label>
      {asks.next && (
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">after</span>
          <input
            type="number"
            min={0}
            max={week}
            value={asks.after}
            onChange={(e) => onSet({ after: e.target.value })}
            className={`${field} w-20`}
          />
          <span className="text-ink-2">min</span>
        </label>
      )}
    </div>
  );
}
