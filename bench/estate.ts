import { consequences, planOf, sheetOf } from '@praesidor/core/charter';
import { Checker, check } from '@praesidor/core/checks';
import type { Charter, Doc, Estate } from '@praesidor/core/model';
import { asEstate, largeEstate } from '../demo/large/estate.ts';
import { demoEstate } from './demo-estate.ts';
import { quietest, row, timed } from './measure.ts';

/** The n-th document of a list in another form; everything else is the same object. */
const edited = <L extends 'hosts' | 'reservations' | 'charters'>(
  e: Estate,
  list: L,
  n: number,
  how: (d: never) => object,
): Estate => ({
  ...e,
  [list]: (e[list] as Doc[]).map((d, i, all) => (i === n % all.length ? how(d as never) : d)),
});
/** An edit of each sort, as people make them. */
const sorts = (e: Estate, n: number): Estate =>
  [
    () => edited(e, 'hosts', n * 7919, (h: { facts: object }) => ({ ...h, facts: { ...h.facts, memoryGiB: 64 + (n % 9) } })),
    () => edited(e, 'reservations', n * 7919, (r: { name: string }) => ({ ...r, name: `x${n}-${r.name.replace(/^\*\./, '')}` })),
    () => edited(e, 'charters', n * 7919, (c: object) => ({ ...c, workers: { count: 3 + (n % 5) } })),
  ][n % 3]?.() as Estate;

/** The checks over ten thousand hosts: whole, and after an edit. */
export async function estate(): Promise<void> {
  const e = asEstate(largeEstate({ hosts: 10_000, sites: 300 }));
  const of = `${e.hosts.length} hosts, ${e.reservations.length} reservations, ${e.charters.length} charters`;
  const whole = await quietest(async () => timed(() => check(e), 3));
  row(
    `whole check of ${of}`,
    `${Math.round(whole.value)} ms (${(100 * whole.stolen).toFixed(0)} % of the processors’ time was taken by others)`,
    '≤ 1000 ms',
    whole.value <= 1000,
  );
  const checker = new Checker();
  checker.run(e);
  const edits = Array.from({ length: 200 }, (_, n) => sorts(e, n));
  const { value: times } = await quietest(async () => {
    const t = edits.map((x) => {
      const began = performance.now();
      checker.run(x);
      return performance.now() - began;
    });
    return t.sort((a, b) => a - b);
  }, 5);
  const [median, high] = [times[100] as number, times[198] as number];
  row(
    'check after each of 200 edits of a host, a reservation or a charter',
    `${median.toFixed(1)} ms at the median, ${high.toFixed(1)} ms at the 99th of a hundred; whole ÷ edit ${Math.round(whole.value / median)}`,
    '≤ 10 ms, ≤ 30 ms, ≥ 100',
    median <= 10 && high <= 30 && whole.value / median >= 100,
  );
  const last = edits.at(-1) as Estate;
  const same = JSON.stringify(checker.run(last)) === JSON.stringify(check(last));
  row('what it found then, against a whole check', same ? 'the same' : 'something else', 'the same', same);
  let n = 0;
  const told = timed(() => {
    const c = e.charters[(n += 7) % e.charters.length] as Charter;
    checker.run(e);
    const before = planOf(checker.view, c.name);
    const draft = { ...c, controlPlane: { count: 5 }, pods: { ...c.pods, range: '10.250.0.0/18' } };
    checker.run({ ...e, charters: e.charters.map((x) => (x === c ? draft : x)) });
    const after = planOf(checker.view, c.name);
    const sheet = (p: typeof before) => ({ ...p, follows: sheetOf(p) });
    consequences(sheet(before), sheet(after), e);
  }, 30);
  row('consequences of an edit of a charter, checks among them', `${told.toFixed(1)} ms`, '≤ 150 ms', told <= 150);

  const demo = demoEstate();
  const small = await quietest(async () => timed(() => check(demo), 30));
  row(
    `whole check of the demonstration, ${demo.hosts.length} hosts`,
    `${small.value.toFixed(1)} ms`,
    '≤ 10 ms',
    small.value <= 10,
  );
}
