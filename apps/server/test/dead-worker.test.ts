import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { eventually } from './installation.ts';
import { roomsCanBeHad } from './rooms.ts';
import { TwoWorkers } from './two-workers.ts';

/** What a worker was at goes on elsewhere: PostgreSQL, its connections and the network are real; the job does nothing but last. */
describe.runIf(roomsCanBeHad)('the job of a worker', () => {
  const w = new TwoWorkers();
  beforeAll(async () => {
    await w.open();
    await w.begin('first', true);
    await eventually(async () => w.when('first', 'taken'), 'the first takes it up');
    await w.begin('second');
  });
  afterAll(() => w.close());

  it('that is killed is taken up by the other within three seconds', async () => {
    const killed = await w.kill('first');
    const taken = await eventually(async () => w.when('second', 'taken'), 'the second takes it up');
    expect(taken - killed).toBeLessThanOrEqual(3000);
  });

  it('whose machine loses its network is let go there before another takes it up, which is within seconds; back, it takes part again', async () => {
    await w.begin('first');
    const cut = w.cut('second');
    const taken = await eventually(async () => w.when('first', 'taken'), 'the first takes it up');
    // A machine without power says nothing of its end: PostgreSQL gives it 4 s.
    expect(taken - cut).toBeLessThanOrEqual(8000);
    // Never two at once: who is cut off ends what it was at before that.
    expect(w.when('second', 'let go')).toBeLessThan(taken);
    w.plug('second');
    const again = await w.kill('first');
    await eventually(async () => (w.when('second', 'taken') ?? 0) > again, 'the second has it again');
  });
});
