interface Waiting<V> {
  key: string;
  done: (value: V | undefined) => void;
  fail: (e: unknown) => void;
}

/**
 * Looks up by key what many ask for at once. Who asks while a look-up is under way waits for the next one and shares it, so that a hundred clients cost one query and
 * not a hundred; nobody is answered by what was read before they asked.
 */
export class SharedLook<V> {
  private waiting: Waiting<V>[] = [];
  private busy = false;
  /** @param look what is found of some keys, each of them once */
  constructor(private readonly look: (keys: string[]) => Promise<Map<string, V>>) {}

  find(key: string): Promise<V | undefined> {
    return new Promise((done, fail) => {
      this.waiting.push({ key, done, fail });
      if (!this.busy) void this.go();
    });
  }

  private async go(): Promise<void> {
    this.busy = true;
    while (this.waiting.length) {
      const batch = this.waiting;
      this.waiting = [];
      try {
        const found = await this.look([...new Set(batch.map((w) => w.key))]);
        for (const w of batch) w.done(found.get(w.key));
      } catch (e) {
        for (const w of batch) w.fail(e);
      }
    }
    this.busy = false;
  }
}
