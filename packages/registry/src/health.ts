import type { ServerResponse } from 'node:http';
import type { Running } from './running.ts';

export async function health(o: Running, res: ServerResponse) {
  const free = await o.store.free();
  const full = free <= 0;
  res.writeHead(full ? 503 : 200, { 'content-type': 'application/json' }).end(
    JSON.stringify({
      well: !full,
      readOnly: o.readOnly ?? false,
      free,
      ...(full ? { why: 'the disk set aside for images is full' } : {}),
    }),
  );
}

/** Prometheus text exposition format 0.0.4. */
export async function metrics(o: Running, res: ServerResponse) {
  const s = o.scrub.state;
  const one = (name: string, kind: string, help: string, value: number) =>
    `# HELP ${name} ${help}\n# TYPE ${name} ${kind}\n${name} ${value}\n`;
  const requests = [...o.counts.requests].map(([key, n]) => {
    const [method, status] = key.split(' ');
    return `registry_requests_total{method="${method}",status="${status}"} ${n}\n`;
  });
  res
    .writeHead(200, { 'content-type': 'text/plain; version=0.0.4' })
    .end(
      [
        `# HELP registry_requests_total Requests answered.\n# TYPE registry_requests_total counter\n${requests.join('')}`,
        one('registry_sent_bytes_total', 'counter', 'Bytes of blobs sent.', o.counts.sent),
        one('registry_pulls_unnoted_total', 'counter', 'Pulls that could not be noted, as on a full disk.', o.counts.unnoted),
        one('registry_received_bytes_total', 'counter', 'Bytes of uploads received.', o.counts.received),
        one('registry_used_bytes', 'gauge', 'Bytes of content.', await o.store.used()),
        one('registry_free_bytes', 'gauge', 'Bytes that can still be taken in.', await o.store.free()),
        one('registry_damaged', 'gauge', 'Content that the last scrub put aside.', s.damaged.length),
        one('registry_start_time_seconds', 'gauge', 'When this process began to answer.', Math.round(o.startedAt / 1000)),
      ].join(''),
    );
}
