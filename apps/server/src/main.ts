import { startServer } from './app.ts';
import { readConfig } from './config.ts';
import { startWorker } from './worker.ts';

try {
  const config = readConfig(process.env);
  const running = await (config.role === 'worker' ? startWorker : startServer)(config);
  // What nobody waited for has failed: said, and no reason to end for everybody else.
  process.on('unhandledRejection', (e) =>
    running.ctx.log('a failure that nobody waited for', { error: (e as Error)?.stack ?? String(e) }),
  );
  process.stdout.write(`${JSON.stringify({ listening: running.url })}\n`);
  let ending = false;
  const end = () => {
    if (ending) return;
    ending = true;
    void running.close().finally(() => process.exit(0));
  };
  process.on('SIGTERM', end).on('SIGINT', end).on('disconnect', end);
} catch (e) {
  process.stderr.write(`praesidor: ${(e as Error).message}\n`);
  process.exit(1);
}
