import { startServer } from './app.ts';
import { readConfig } from './config.ts';

try {
  const running = await startServer(readConfig(process.env));
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
