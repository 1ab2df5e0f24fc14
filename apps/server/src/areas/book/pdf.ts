import { spawn } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Refusal } from '../../refusal.ts';

const mostMs = 60_000;
const noBrowser = () =>
  new Refusal('not-now', 'Chromium is not installed at the server, and it makes the PDF.', {
    remedy: 'Open the page and print it from the browser, or install Chromium at the server.',
  });

/** One after the other: a browser takes memory. */
let before: Promise<unknown> = Promise.resolve();

/**
 * A page as PDF, by Chromium. It reaches nothing, since every name is unknown to it; that nothing runs the page itself says (Content Security Policy).
 *
 * @param program the browser, by its name or its path
 * @throws Refusal where it is not installed, fails, or takes too long
 */
export function asPdf(html: string, program: string): Promise<Buffer> {
  const done = before.then(() => print(html, program));
  before = done.catch(() => undefined);
  return done;
}

async function print(html: string, program: string): Promise<Buffer> {
  const dir = await mkdtemp(join(tmpdir(), 'book-'));
  try {
    const [page, out] = [join(dir, 'book.html'), join(dir, 'book.pdf')];
    await writeFile(page, html);
    const errors = await run(dir, program, [
      '--headless=new',
      '--disable-gpu',
      '--disable-dev-shm-usage',
      '--disable-background-networking',
      '--host-resolver-rules=MAP * ~NOTFOUND',
      `--user-data-dir=${join(dir, 'profile')}`,
      // Chromium refuses its own sandbox to root.
      ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
      '--no-pdf-header-footer',
      `--print-to-pdf=${out}`,
      `file://${page}`,
    ]);
    return await readFile(out).catch(() => {
      throw new Refusal(
        'not-now',
        `Chromium made no PDF: ${errors.trim().split('\n').at(-1)?.slice(0, 200) || 'it said nothing'}.`,
        {
          remedy: 'Open the page and print it from the browser.',
        },
      );
    });
  } finally {
    await rm(dir, { recursive: true, force: true, maxRetries: 5 });
  }
}

/** @returns what it wrote to its error output */
const run = (dir: string, program: string, args: readonly string[]): Promise<string> =>
  new Promise((resolve, reject) => {
    // It is told nothing of the server: neither its key nor its database.
    const env = { PATH: process.env.PATH, HOME: dir, LANG: 'C.UTF-8' };
    const child = spawn(program, args, { env, stdio: ['ignore', 'ignore', 'pipe'], timeout: mostMs, killSignal: 'SIGKILL' });
    let errors = '';
    child.stderr.on('data', (d: Buffer) => {
      errors = `${errors}${d.toString()}`.slice(-4000);
    });
    child.on('error', (e: NodeJS.ErrnoException) => reject(e.code === 'ENOENT' ? noBrowser() : e));
    child.on('close', (_, signal) =>
      signal
        ? reject(
            new Refusal('not-now', `Chromium had not made the PDF after ${mostMs / 1000} s.`, {
              remedy: 'Open the page and print it from the browser.',
            }),
          )
        : resolve(errors),
    );
  });
