import { Agent, request } from 'node:http';
import { Bus } from '../apps/server/src/events/bus.ts';
import type { Context } from '../apps/server/src/context.ts';
import { openDatabase } from '../apps/server/src/db/data-source.ts';
import { driveAlone } from '../apps/server/src/engine/drive.ts';
import type { RunKind } from '../apps/server/src/engine/kind.ts';
import { takeUp } from '../apps/server/src/engine/turns.ts';
import { Queue } from '../apps/server/src/jobs/queue.ts';

/**
 * A worker as the server has one, whose steps do nothing but hold a request open at a counter for a moment: what is measured is what drives
 * them. Arguments: address of the database, port of the counter, a folder of its own.
 */
const [database, port, folder] = process.argv.slice(2) as [string, string, string];
const agent = new Agent({ keepAlive: true, maxSockets: 1000 });
const at = (path: string) =>
  new Promise<string>((done, fail) => {
    request({ host: '127.0.0.1', port, path, method: 'POST', agent }, (r) => {
      let text = '';
      r.on('data', (d) => {
        text += d;
      }).on('end', () => (r.statusCode === 200 ? done(text) : fail(new Error(text))));
    })
      .on('error', fail)
      .end();
  });

const kind: RunKind = {
  kind: 'change',
  act: 'builds.run',
  noun: 'a build',
  called: (run) => run.subject,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (_, run) => ({ perform: ({ step }) => at(`/step/${run.id}/${encodeURIComponent(step.id)}`) }),
};
const kinds = new Map([[kind.kind, kind]]);
const log = (message: string, facts?: object) => process.stderr.write(`${message} ${JSON.stringify(facts ?? {})}\n`);
const db = await openDatabase(database);
const bus = await new Bus(database, log).open();
const queue = new Queue(database, folder, bus, log);
const ctx = { db, bus, queue, log } as unknown as Context;
queue.handle('run', (id, signal) => driveAlone(ctx, kinds, Number(id), signal));
await queue.start();
await takeUp(ctx);
setInterval(() => void takeUp(ctx).catch(() => undefined), 5000);
const begun = process.cpuUsage();
process.on('message', () => {
  const { user, system } = process.cpuUsage(begun);
  process.send?.((user + system) / 1000);
});
process.send?.('ready');
