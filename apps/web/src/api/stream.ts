import type { FromStream } from './events.worker.ts';

/**
 * Listens to the server's events through the worker that all tabs share. `again` is called when the stream was
 * lost and is there once more, or when this page comes back from the browser's history.
 */
export function listen(onEvent: (data: string) => void, again: () => void): () => void {
  let port: MessagePort | undefined;
  const enter = () => {
    port = new SharedWorker(new URL('./events.worker.ts', import.meta.url), { type: 'module', name: 'events' }).port;
    port.onmessage = (m: MessageEvent<FromStream>) => ('event' in m.data ? onEvent(m.data.event) : again());
  };
  const leave = () => {
    port?.postMessage('leaving');
    port?.close();
    port = undefined;
  };
  const back = (e: PageTransitionEvent) => {
    if (!e.persisted) return;
    enter();
    again();
  };
  enter();
  addEventListener('pagehide', leave);
  addEventListener('pageshow', back);
  return () => {
    removeEventListener('pagehide', leave);
    removeEventListener('pageshow', back);
    leave();
  };
}
