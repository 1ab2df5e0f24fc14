import { isAway } from '../../../db/errors.ts';
import { measuresOf, type Proof } from '../measures.ts';
import { keepLines } from '../proofs.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Measures that what stands is what was planned. Every line keeps what it saw. */
export const proof: StepRunner = {
  kind: 'proof',
  run: async (s) => {
    const lines: Proof[] = [];
    for (const { name, measure } of await measuresOf(s.ctx.db.manager, s.build)) {
      const own: Proof[] = [];
      for (const p of await s
        .until(
          async () => {
            const found = await measure(s).catch(async (e: Error) => {
              // What it is kept in is away: that is no finding about the cluster.
              if (isAway(e)) throw e;
              await s.log(e.message, 'warn');
              return undefined;
            });
            return found?.every((p) => p.good) ? found : undefined;
          },
          () => 'again',
        )
        .catch((e: unknown) => {
          if (isAway(e)) throw e;
          return measure(s);
        })) {
        own.push(p);
        lines.push(p);
        await s.log(`${p.good ? 'holds' : 'FAILS'}: ${p.what}: planned ${p.planned}, found ${p.found}`, p.good ? 'info' : 'warn');
        await s.progress(lines.length, lines.length);
      }
      await keepLines(s.ctx.db.manager, s.plan.charter.name, name, own);
    }
    await s.ctx.db.manager.query('update build set proof = $2 where id = $1', [s.build.id, JSON.stringify(lines)]);
    const bad = lines.filter((l) => !l.good);
    if (bad.length)
      throw new StepFailure(
        `${bad.length} of ${lines.length} proofs fail: ${bad.map((b) => `${b.what} (planned ${b.planned}, found ${b.found})`).join('; ')}`,
        'Mend it, then resume: everything is measured again.',
      );
    return `${lines.length} of ${lines.length} hold`;
  },
};
