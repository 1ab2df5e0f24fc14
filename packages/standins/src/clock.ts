/** Time of the proving ground: 1 to 5,000 times as fast as the wall clock. */
export class Clock {
  /** From when on it goes how fast, by the wall clock, and what clocks in the rooms showed then; the newest first. */
  private readonly turns: { wall: number; showed: number; speed: number }[];
  constructor(public speed = 1) {
    const wall = Date.now();
    this.turns = [{ wall, showed: wall, speed }];
  }
  setSpeed(speed: number): void {
    if (!(speed >= 1 && speed <= 5000)) throw new RangeError('the speed is a number from 1 to 5000');
    const wall = Date.now();
    this.turns.unshift({ wall, showed: this.at(wall), speed });
    this.speed = speed;
  }
  /** What clocks in the rooms show at a moment of the wall clock, in milliseconds since 1970. */
  at(wall: number = Date.now()): number {
    const turn = this.turns.find((t) => t.wall <= wall) ?? (this.turns.at(-1) as (typeof this.turns)[number]);
    return turn.showed + (wall - turn.wall) * turn.speed;
  }
  /** When, by the wall clock, clocks in the rooms show this. */
  wallAt(showed: number): number {
    const turn = this.turns.find((t) => t.showed <= showed) ?? (this.turns.at(-1) as (typeof this.turns)[number]);
    return turn.wall + (showed - turn.showed) / turn.speed;
  }
  /** Seconds of the rooms since a moment of the wall clock. */
  since = (wall: number): number => (this.at() - this.at(wall)) / 1000;
  /** The moment of the wall clock so many seconds of the rooms after another one. */
  after = (wall: number, seconds: number): number => this.wallAt(this.at(wall) + seconds * 1000);

  /** Waits for simulated seconds; ends early, by throwing, when the signal fires. */
  sleep(seconds: number, signal?: AbortSignal): Promise<void> {
    return new Promise((done, fail) => {
      if (signal?.aborted) {
        fail(new Error('stopped'));
        return;
      }
      const timer = setTimeout(
        () => {
          signal?.removeEventListener('abort', stop);
          done();
        },
        (seconds * 1000) / this.speed,
      );
      const stop = () => {
        clearTimeout(timer);
        fail(new Error('stopped'));
      };
      signal?.addEventListener('abort', stop, { once: true });
    });
  }
}
