import { Worker } from 'node:worker_threads';

/** One file that is to lie on the disk whole, under its name: empty, or with a body. */
export interface FileToWrite {
  path: string;
  body?: string | Uint8Array;
  /** Asks whether the name was there before. */
  asks?: true;
  /** Many come with the same body, which is never written to in place. */
  alike?: true;
}
/** Files in stages: those of one are named by those of the next, and lie on the disk before it begins. */
export type Stages = FileToWrite[][];

/**
 * Run by the thread: a stage for all that came together, then the next. Each file is written beside its place, synced and
 * renamed; the folders of a stage are synced once, however many files came into them. What fails for one ends only that one.
 */
const program = `
const { parentPort, workerData } = require('node:worker_threads');
const fs = require('node:fs');
const { dirname, join } = require('node:path');
let count = 0;
const sync = (dir) => { const fd = fs.openSync(dir, 'r'); try { fs.fsyncSync(fd); } finally { fs.closeSync(fd); } };
function folder(path, dirty) {
  const made = fs.mkdirSync(path, { recursive: true });
  if (made === undefined) return;
  for (let at = dirname(path); at.length >= dirname(made).length; at = dirname(at)) dirty.add(at);
}
// What many of a group have alike is one file with many names: a name costs far less than a file.
const alikes = new Map();
const fresh = () => join(workerData, 'group-' + process.pid + '-' + ++count);
function name(path, body) {
  if (!alikes.has(body)) {
    const one = fresh();
    whole(one, body);
    alikes.set(body, one);
  }
  const beside = fresh();
  try {
    try {
      fs.linkSync(alikes.get(body), beside);
    } catch {
      // Not every file system has such names, and none has as many as one likes.
      whole(beside, body);
    }
    fs.renameSync(beside, path);
  } finally {
    // Renamed onto another name of the same file, the first one stays (rename(2)).
    fs.rmSync(beside, { force: true });
  }
}
function whole(path, body) {
  const fd = fs.openSync(path, 'w');
  try {
    if (body.length) {
      fs.writeFileSync(fd, body);
      fs.fdatasyncSync(fd);
    }
  } catch (e) {
    fs.rmSync(path, { force: true });
    throw e;
  } finally {
    fs.closeSync(fd);
  }
}
function put({ path, body, asks, alike }, dirty) {
  folder(dirname(path), dirty);
  const stood = asks && fs.existsSync(path);
  if (body === undefined) {
    if (!fs.existsSync(path)) name(path, '');
  } else if (alike) {
    name(path, body);
  } else {
    const beside = fresh();
    whole(beside, body);
    try {
      fs.renameSync(beside, path);
    } catch (e) {
      fs.rmSync(beside, { force: true });
      throw e;
    }
  }
  dirty.add(dirname(path));
  return stood;
}
parentPort.on('message', (group) => {
  const faults = new Array(group.length).fill(null);
  const stood = new Array(group.length).fill(false);
  const said = (e) => ({ code: e.code, message: e.message });
  const most = Math.max(...group.map((s) => s.length));
  for (let stage = 0; stage < most; stage++) {
    const dirty = new Map();
    group.forEach((stages, n) => {
      if (faults[n]) return;
      const mine = new Set();
      try {
        for (const file of stages[stage] ?? []) if (put(file, mine)) stood[n] = true;
      } catch (e) {
        faults[n] = said(e);
      }
      for (const dir of mine) dirty.set(dir, [...(dirty.get(dir) ?? []), n]);
    });
    // The deepest first: a folder is there before its own name is.
    for (const [dir, of] of [...dirty].sort((a, b) => b[0].length - a[0].length))
      try {
        sync(dir);
      } catch (e) {
        for (const n of of) faults[n] ??= said(e);
      }
  }
  for (const one of alikes.values()) fs.rmSync(one, { force: true });
  alikes.clear();
  parentPort.postMessage({ faults, stood });
});`;

interface Waiting {
  stages: Stages;
  bytes: number;
  done: (stood: boolean) => void;
  fail: (e: Error) => void;
}
const most = { entries: 128, bytes: 16_000_000 } as const;

/**
 * Small files of many writers made to last together, by a thread that does nothing else: whoever comes while a group is
 * written is in the next one. Nobody is told that a file is there before it and its name are on the disk.
 */
export class GroupWriter {
  private worker: Worker | undefined;
  private readonly waiting: Waiting[] = [];
  private under: Waiting[] = [];

  /** `beside`: a folder of the same file system, where files are written before they have their names. */
  constructor(private readonly beside: string) {}

  /** When all of it lies on the disk: whether a name that asks was there before. @throws Error with the code of the system (`ENOSPC`) */
  write(stages: Stages): Promise<boolean> {
    const bytes = stages.flat().reduce((n, f) => n + (f.body?.length ?? 0), 0);
    return new Promise((done, fail) => {
      this.waiting.push({ stages, bytes, done, fail });
      // Whoever comes in the same turn is in the same group.
      setImmediate(() => this.next());
    });
  }

  private next(): void {
    if (this.under.length || !this.waiting.length) return;
    let bytes = 0;
    let n = 0;
    while (n < this.waiting.length && n < most.entries && (n === 0 || bytes < most.bytes))
      bytes += (this.waiting[n++] as Waiting).bytes;
    this.under = this.waiting.splice(0, n);
    const worker = this.thread();
    worker.ref();
    worker.postMessage(this.under.map((w) => w.stages));
  }

  private thread(): Worker {
    if (this.worker) return this.worker;
    const worker = new Worker(program, { eval: true, workerData: this.beside });
    worker.on('message', ({ faults, stood }: { faults: ({ code?: string; message: string } | null)[]; stood: boolean[] }) => {
      const group = this.under.splice(0);
      for (const [n, w] of group.entries()) {
        const fault = faults[n];
        if (fault) w.fail(Object.assign(new Error(fault.message), { code: fault.code }));
        else w.done(stood[n] ?? false);
      }
      if (!this.waiting.length) worker.unref();
      this.next();
    });
    const gone = (e: Error) => {
      if (this.worker !== worker) return;
      this.worker = undefined;
      for (const w of this.under.splice(0)) w.fail(e);
      this.next();
    };
    worker.on('error', (e) => gone(e as Error)).on('exit', () => gone(new Error('the thread that writes files has ended')));
    this.worker = worker;
    return worker;
  }
}
