/**
 * One stream of events for all tabs of this browser. Browsers open at most six connections to a host over
 * HTTP/1.1; with a stream a tab, the seventh tab would wait for ever.
 */
export type FromStream = { event: string } | { again: true };

/** How long a stream may take to open before it is held to have missed something, in milliseconds. */
const slow = 1000;
const ports = new Set<MessagePort>();
let source: EventSource | undefined;
const post = (message: FromStream) => {
  for (const port of ports) port.postMessage(message);
};

function open() {
  if (source && source.readyState !== EventSource.CLOSED) return;
  let lost = source !== undefined;
  const began = performance.now();
  source = new EventSource('/api/events');
  source.onmessage = (m) => post({ event: m.data as string });
  source.onerror = () => {
    lost = true;
    // A server that refuses ends the stream for good: the pages ask again, and learn that they must sign in.
    if (source?.readyState === EventSource.CLOSED) post({ again: true });
  };
  source.onopen = () => {
    // What was told while a slow stream was on its way was told to nobody here.
    if (lost || performance.now() - began > slow) post({ again: true });
    lost = false;
  };
}

function leave(port: MessagePort) {
  ports.delete(port);
  if (ports.size) return;
  source?.close();
  source = undefined;
}

(self as unknown as { onconnect: (e: MessageEvent) => void }).onconnect = (e) => {
  const port = e.ports[0];
  if (!port) return;
  ports.add(port);
  port.onmessage = () => leave(port);
  open();
};
