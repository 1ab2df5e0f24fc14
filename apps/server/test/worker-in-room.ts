import { openDatabase } from '../src/db/data-source.ts';
import { Bus } from '../src/events/bus.ts';
import { Queue } from '../src/jobs/queue.ts';

/**
 * A worker whose only job never ends by itself: it says when it takes it up, and when it lets it go. Arguments: address of the database, the
 * folder of the installation, `ask` for the one that asks for the job.
 */
const [url, folder, ask] = process.argv.slice(2) as [string, string, string?];
const say = (what: string) => process.stdout.write(`${JSON.stringify({ what, at: Date.now() })}\n`);
const log = (message: string, facts?: object) => process.stderr.write(`${message} ${JSON.stringify(facts ?? {})}\n`);
const db = await openDatabase(url);
const bus = await new Bus(url, log).open();
const queue = new Queue(url, folder, bus, log);
queue.handle('sweep', async (_, signal) => {
  say('taken');
  await new Promise<void>((done) => signal.addEventListener('abort', () => done(), { once: true }));
  say('let go');
});
await queue.start();
if (ask) await db.transaction((m) => queue.send(m, 'sweep', 'x'));
say('ready');
