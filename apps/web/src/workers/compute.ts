import { type Remote, wrap } from 'comlink';
import type { Compute } from './compute.worker.ts';

let remote: Remote<Compute> | undefined;
/** The one worker of the page, started when it is first needed. */
export function computer(): Remote<Compute> {
  remote ??= wrap<Compute>(new Worker(new URL('./compute.worker.ts', import.meta.url), { type: 'module' }));
  return remote;
}
