import { Agent, request } from 'node:http';

/** What a pipeline asks, at a steady rate, over connections that stay open. */
const { url, token, seconds, reads, writes } = JSON.parse(process.argv[2] ?? '') as {
  url: string;
  token: string;
  seconds: number;
  reads: number;
  writes: number;
};
const agent = new Agent({ keepAlive: true, maxSockets: 64 });
const keys = ['plover', 'tern', 'gannet', 'petrel', 'dunlin', 'turnstone'];
const paths = ['/api/acts?limit=50', '/api/builds', '/api/acts/1', '/api/documents/charter/plover'];
const took = { reads: [] as number[], writes: [] as number[] };
let errors = 0;

const send = (method: string, path: string, body?: string): Promise<number> =>
  new Promise((done, fail) => {
    const headers = {
      authorization: `Bearer ${token}`,
      ...(body ? { 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) } : {}),
    };
    const r = request(url + path, { method, agent, headers }, (answer) => {
      answer.resume();
      answer.once('end', () => done(answer.statusCode ?? 0));
    });
    r.once('error', fail);
    r.end(body);
  });
async function ask(what: 'reads' | 'writes', n: number) {
  const began = performance.now();
  const status = await (what === 'reads'
    ? send('GET', paths[n % paths.length] as string)
    : send(
        'POST',
        '/api/edits',
        JSON.stringify({
          why: 'by night',
          edits: [{ op: 'set', kind: 'Charter', key: keys[n % keys.length], path: ['purpose'], value: `n${n}` }],
        }),
      )
  ).catch(() => 0);
  if (status !== 200) errors++;
  took[what].push(performance.now() - began);
}

// Code is compiled and connections are opened before anything counts.
for (let n = 0; n < 200; n++) await Promise.all([ask('reads', n), ask('reads', n + 1), ask('writes', n)]);
took.reads.length = took.writes.length = errors = 0;
const all: Promise<void>[] = [];
const sent = { reads: 0, writes: 0 };
const begun = performance.now();
while (performance.now() - begun < seconds * 1000) {
  const due = (performance.now() - begun) / 1000;
  while (sent.reads < due * reads) all.push(ask('reads', sent.reads++));
  while (sent.writes < due * writes) all.push(ask('writes', sent.writes++));
  await new Promise((go) => setTimeout(go, 2));
}
await Promise.all(all);
process.stdout.write(JSON.stringify({ ...took, errors, seconds: (performance.now() - begun) / 1000 }));
agent.destroy();
