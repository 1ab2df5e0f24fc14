import { parentPort } from 'node:worker_threads';
import { type TaskName, tasks } from './tasks.ts';

parentPort?.on('message', ({ id, name, input }: { id: number; name: TaskName; input: never }) => {
  try {
    parentPort?.postMessage({ id, output: tasks[name](input) });
  } catch (e) {
    parentPort?.postMessage({ id, error: (e as Error).message });
  }
});
