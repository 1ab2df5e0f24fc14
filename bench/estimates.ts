import { buildSteps } from '@praesidor/core/changes';
import { type PlannedNode, resolve } from '@praesidor/core/charter';
import {
  expectedEnd,
  fold,
  foldInto,
  type Known,
  learned,
  newRun,
  nothingKnown,
  ready,
  type RunEvent,
  type RunStatus,
  type Step,
  type Took,
  tookOf,
  usual,
  worthSpeedingUp,
} from '@praesidor/core/schedule';
import { demoEstate } from './demo-estate.ts';
import { percent, row, timed } from './measure.ts';

const past = 60;
const future = 300;

/** Numbers by chance, the same in every run of the bench: another generator than the product's (a linear congruential one, Knuth's MMIX). */
class Chance {
  private x = 42n;
  next(): number {
    this.x = (this.x * 6364136223846793005n + 1442695040888963407n) & ((1n << 64n) - 1n);
    return Number(this.x >> 11n) / 2 ** 53;
  }
  pick = <T>(list: readonly T[]): T => list[Math.floor(this.next() * list.length)] as T;
  /** Gamma with a whole shape and mean 1: not what the product takes durations for. */
  gamma(shape: number): number {
    let sum = 0;
    for (let n = 0; n < shape; n++) sum -= Math.log(1 - this.next());
    return sum / shape;
  }
}

/** Machines of the ground truth, and how much slower each is than another. */
const models = { 'HW-220': 1, 'HW-90': 1.6, 'Brig 4': 0.7, 'Old Tern': 2.2 };

/**
 * How long steps take in truth: by the model, by what there is to do, by a day that is good or bad for all, by chance, and now and then something is tried again.
 */
const truly = (step: Step, day: number, c: Chance): number => {
  const model = models[(step.model ?? '') as keyof typeof models] ?? 1;
  const size = step.kind === 'images' ? ((step.size ?? 6e9) / 6e9) ** 0.85 : step.host ? 1 : ((step.size ?? 6) / 6) ** 0.3;
  return usual[step.kind][0] * model * size * day * c.gamma(18) * (c.next() < 0.03 ? 1.8 : 1);
};

/** Carries a run out in the truth: what is ready starts, as the engine starts it. @param told called with the state whenever something ended */
function carriedOut(steps: readonly Step[], c: Chance, told: (status: RunStatus, now: number) => void = () => undefined) {
  const day = c.gamma(30);
  const status = newRun(steps);
  const at = (s: number) => new Date(s * 1000).toISOString();
  const tell = (e: RunEvent) => foldInto(status, e);
  tell({ at: at(0), kind: 'begun' });
  const flying: { step: string; end: number }[] = [];
  let now = 0;
  for (;;) {
    for (const s of ready(steps, status)) {
      tell({ at: at(now), kind: 'started', step: s.id });
      flying.push({ step: s.id, end: now + truly(s, day, c) });
    }
    const next = flying.reduce<(typeof flying)[number] | undefined>((a, b) => (a && a.end <= b.end ? a : b), undefined);
    if (!next) break;
    flying.splice(flying.indexOf(next), 1);
    now = next.end;
    tell({ at: at(now), kind: 'succeeded', step: next.step });
    told(status, now);
  }
  return { status, end: now };
}

/** Ends that were said, against those that came: how often the truth fell into the interval that holds eight cases of ten, at the begin and half-way. */
export async function estimates() {
  const demo = demoEstate();
  const charter = demo.charters.find((x) => x.name === 'tern');
  if (!charter) throw new Error('the demonstration has no charter tern');
  const small = resolve(charter, demo);
  const worker = small.nodes.find((n) => n.role === 'worker') as PlannedNode;
  const c = new Chance();
  /** A cluster of three to forty hosts, of one model or of several, with a bill of 2 to 12 GB. */
  const stepsBy = (known: Known): Step[] => {
    const own = c.next() < 0.5 ? [c.pick(Object.keys(models))] : Object.keys(models);
    const nodes = Array.from({ length: 3 + Math.floor(c.next() ** 2 * 38) }, (_, k) => {
      const like: PlannedNode = small.nodes[k] ?? worker;
      return { ...like, host: `h-${k}`, facts: { ...like.facts, maker: '', model: c.pick(own) } };
    });
    const plan = { ...small, nodes, images: { ...small.images, bytes: 2e9 + c.next() * 10e9 } };
    // Models are told without their makers in this truth.
    return buildSteps(plan, demo, (kind, on) => known(kind, { ...on, model: on?.model?.trim() })).map((s) =>
      s.model ? { ...s, model: s.model.trim() } : s,
    );
  };
  const history: Took[] = [];
  for (let run = 0; run < past; run++) {
    const steps = stepsBy(nothingKnown);
    const { status } = carriedOut(steps, c);
    for (const s of steps)
      history.push({ kind: s.kind, model: s.model ?? '', size: s.size ?? 1, seconds: tookOf(s, status) ?? 0, run });
  }
  const known = learned(history);
  const seen = { begin: 0, half: 0, usual: 0 };
  let off = 0;
  for (let n = 0; n < future; n++) {
    const steps = stepsBy(known);
    const said = expectedEnd(steps, newRun(steps), 0);
    const plain = steps.map(({ common: _, ...s }) => ({ ...s, p50: usual[s.kind][0], p90: usual[s.kind][1] }));
    const before = expectedEnd(plain, newRun(plain), 0);
    let half: typeof said | undefined;
    const { end } = carriedOut(steps, c, (status, now) => {
      if (!half && Object.values(status.steps).filter((s) => s.state === 'done').length * 2 >= steps.length)
        half = expectedEnd(steps, status, now * 1000);
    });
    const holds = (x: typeof said | undefined) => x !== undefined && end * 1000 >= x.from && end * 1000 <= x.to;
    seen.begin += Number(holds(said));
    seen.half += Number(holds(half));
    seen.usual += Number(holds(before));
    off += Math.abs(said.middle / 1000 - end) / end;
  }
  const share = (k: number) => percent(k / future);
  const right = (k: number) => k / future >= 0.7 && k / future <= 0.9;
  row(
    `end said at the begin, ${future} builds after a history of ${past}`,
    `${share(seen.begin)} within; off by ${((100 * off) / future).toFixed(1)} % in the mean; by what is usual ${share(seen.usual)}`,
    '80 % ± 10',
    right(seen.begin),
  );
  row(`end said half-way, ${future} builds`, `${share(seen.half)} within`, '80 % ± 10', right(seen.half));

  const large = buildSteps(
    { ...small, nodes: Array.from({ length: 300 }, (_, k) => ({ ...(small.nodes[k] ?? worker), host: `h-${k}` })) },
    demo,
    known,
  );
  const one = fold(newRun(large), { at: new Date(0).toISOString(), kind: 'begun' });
  const ms = timed(() => void expectedEnd(large, one, 0), 5);
  const faster = timed(() => void worthSpeedingUp(large, one, 0), 5);
  row(
    `expected end of a build of 300 hosts, ${large.length} steps; what is worth speeding up`,
    `${ms.toFixed(0)} ms; ${faster.toFixed(0)} ms`,
    '≤ 100 ms',
    ms <= 100 && faster <= 100,
  );
}
