/**
 * Tells what comes back from what is new, where a value is sent up and handed down again.
 *
 * Somebody types faster than the page is drawn: what is handed down is then a value that was typed a moment ago. To show
 * it would take away what was typed since.
 */
export class Echoes<T> {
  /** Values that were sent and have not come back, oldest first; the first one is what stands. */
  private out: T[];
  private same: (a: T, b: T) => boolean;
  constructor(first: T, same: (a: T, b: T) => boolean = Object.is) {
    this.same = same;
    this.out = [first];
  }

  /** The newest value: what is shown. */
  get newest(): T {
    return this.out.at(-1) as T;
  }

  /** Notes a value as sent. */
  sent(value: T): void {
    if (!this.same(value, this.newest)) this.out.push(value);
  }

  /** Whether a value that is handed down came from elsewhere and has to be shown; it then is what stands. */
  news(value: T): boolean {
    const at = this.out.findLastIndex((o) => this.same(o, value));
    const fresh = at < 0;
    // What was sent before it comes back no more.
    this.out = fresh ? [value] : this.out.slice(at);
    return fresh;
  }
}
