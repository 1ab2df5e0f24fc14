import { foldInto, type RunEvent, type RunStatus } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { keep, stateOf, type Told } from './state.ts';

/** Events after which the state is kept anew. */
const keptEvery = 200;

/** The state of a run as whoever drives it follows it: what is new is read, and nothing twice. */
export class Track {
  private upto = 0;
  private since = 0;
  private constructor(
    readonly run: Told,
    public status: RunStatus,
  ) {}

  static async of(m: EntityManager, run: Told): Promise<Track> {
    const { status, upto, later } = await stateOf(m, run);
    const t = new Track(run, status);
    t.upto = upto;
    t.since = later;
    return t;
  }

  private turn: Promise<unknown> = Promise.resolve();
  /** Reads what is new. Several may ask at once: they are answered one after another, so that nothing is folded twice. */
  refresh(m: EntityManager): Promise<RunStatus> {
    const now = this.turn.then(() => this.read(m));
    this.turn = now.catch(() => undefined);
    return now;
  }

  private async read(m: EntityManager): Promise<RunStatus> {
    const rows = (await m.query('select id, data from run_event where run = $1 and id > $2 order by id', [
      this.run.id,
      this.upto,
    ])) as { id: string; data: RunEvent }[];
    for (const r of rows) foldInto(this.status, r.data);
    this.upto = Number(rows.at(-1)?.id ?? this.upto);
    this.since += rows.length;
    if (this.since >= keptEvery) {
      this.since = 0;
      await m.transaction((t) => keep(t, this.run));
    }
    return this.status;
  }
}
