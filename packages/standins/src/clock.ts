/** Time of the proving ground: 1 to 5,000 times as fast as the wall clock. */
export class Clock {
  constructor(public speed = 1) {}
  setSpeed(speed: number): void {
    if (!(speed >= 1 && speed <= 5000)) throw new RangeError('the speed is a number from 1 to 5000');
    this.speed = speed;
  }

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
