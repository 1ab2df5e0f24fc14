import { createReadStream } from 'node:fs';
import { appendFile, rename, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';

export interface PullLine {
  at: string;
  client: string;
  user: string;
  agent: string;
  kind: 'manifest' | 'blob';
  repository: string;
  reference: string;
  digest: string;
  status: number;
}

/** Who read what: one JSON line a request, appended; the file is put aside when it is large, and one older one is kept. */
export class PullLog {
  private size: number | undefined;
  private waiting: string[] = [];
  private writing: Promise<void> | undefined;
  constructor(
    private readonly dir: string,
    private readonly most = 64_000_000,
  ) {}
  private path = (n: '' | '.1' = '') => join(this.dir, `pulls${n}.jsonl`);

  /** Lines that come while one is written go with the next write, in order. */
  add(line: PullLine): Promise<void> {
    this.waiting.push(`${JSON.stringify(line)}\n`);
    this.writing ??= this.write().finally(() => {
      this.writing = undefined;
    });
    return this.writing;
  }
  private async write(): Promise<void> {
    while (this.waiting.length) {
      const text = this.waiting.splice(0).join('');
      this.size ??= (await stat(this.path()).catch(() => ({ size: 0 }))).size;
      if (this.size > this.most) {
        await rename(this.path(), this.path('.1'));
        this.size = 0;
      }
      await appendFile(this.path(), text);
      this.size += Buffer.byteLength(text);
    }
  }

  /** Lines from a time on, oldest first, at most `limit`. A line that a crash cut short is left out. */
  async since(since = '', limit = 200_000): Promise<PullLine[]> {
    await this.writing;
    const out: PullLine[] = [];
    for (const path of [this.path('.1'), this.path()]) {
      if (!(await stat(path).catch(() => undefined))) continue;
      for await (const text of createInterface({ input: createReadStream(path), crlfDelay: Number.POSITIVE_INFINITY })) {
        if (out.length >= limit) return out;
        try {
          const line = JSON.parse(text) as PullLine;
          if (line.at >= since) out.push(line);
        } catch {
          /* the end of what a crash cut short */
        }
      }
    }
    return out;
  }
}
