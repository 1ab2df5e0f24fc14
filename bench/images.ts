import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { joinBills, missing, sizeOf, splitIntoCases } from '@praesidor/core/images';
import { bytesText } from '@praesidor/core/words';
import type { Bill } from '@praesidor/core/model';
import { hashPassword, nodeFlags, Store } from '@praesidor/registry';
import { makeCertificate, publish } from '@praesidor/standins';
import { eventually, Installation, shipmentIn, type ShipmentAnswer } from '../apps/server/test/installation.ts';
import { median, percent, quietest, row, timed } from './measure.ts';

/** The same numbers for the same seed (mulberry32), so that what is packed is the same in every run. */
function random(seed: number) {
  let a = seed;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
const digest = (n: number) => `sha256:${n.toString(16).padStart(64, '0')}`;

/** Releases that follow each other: of every image a base, layers that last some releases, and one that is new. */
function releases(count: number, images: number): Bill[] {
  return Array.from({ length: count }, (_, r) => {
    const bill: Bill = { name: `r${r}`, at: '2026-11-23T00:00:00Z', images: [], blobs: {} };
    for (let i = 0; i < images; i++) {
      const layers = [
        digest(i % 7),
        digest(1000 + i * 100 + Math.floor(r / 5)),
        digest(1e6 + i * 100 + Math.floor(r / 2)),
        digest(1e8 + i * 100 + r),
      ];
      for (const [n, d] of layers.entries()) bill.blobs[d] = { bytes: 10_000 * (n + 1), declaredBytes: 20e6 * (n + 1) };
      const m = digest(1e10 + i * 100 + r);
      bill.images.push({
        ref: `up.example/core/i${i}:r${r}`,
        component: `i${i}`,
        on: 'node',
        digest: m,
        manifests: [m],
        blobs: layers,
      });
    }
    return bill;
  });
}

function computed() {
  let whole: Bill[] = [];
  const held = new Set<string>();
  for (const b of releases(50, 150)) for (const d of Object.keys(b.blobs)) if (Number.parseInt(d.slice(-4), 16) % 3) held.add(d);
  // Bills just received, so that nothing that was remembered of them helps.
  const fresh = Array.from({ length: 6 }, () => releases(50, 150));
  let n = 0;
  let found = '';
  const ms = timed(() => {
    whole = fresh[n++ % fresh.length] as Bill[];
    const joined = joinBills('all', whole);
    const lack = missing(joined, held);
    found = `${sizeOf(joined).blobs} blobs, ${lack.blobs} missing`;
  }, 5);
  row('bill and missing over 50 releases of 150 images', `${ms.toFixed(0)} ms, ${found}`, '≤ 200 ms', ms <= 200);

  const next = random(7);
  // As layers are: most are small, some are large (log-normal around 12 MB).
  const blobs = Array.from({ length: 10_000 }, (_, i) => ({
    digest: digest(i),
    bytes: Math.round(12e6 * Math.exp(1.4 * Math.sqrt(-2 * Math.log(next() || 1e-9)) * Math.cos(2 * Math.PI * next()))),
  }));
  for (const [what, size] of [
    ['4.7 GB', 4.7e9],
    ['700 MB', 7e8],
    ['100 MB, smaller than many blobs', 1e8],
  ] as const) {
    let plan = splitIntoCases(blobs, size, 1e6);
    const took = timed(() => {
      plan = splitIntoCases(blobs, size, 1e6);
    });
    const over = plan.cases.length / plan.bound - 1;
    row(
      `packing 10,000 blobs (${bytesText(plan.bytes)}) into cases of ${what}`,
      `${took.toFixed(0)} ms, ${plan.cases.length} cases, at least ${plan.bound} are needed (${(100 * over).toFixed(1)} % over)`,
      '≤ 100 ms, within 2 %',
      took <= 100 && over <= 0.02,
    );
  }
}

/** What is shipped, and in which ways: as many images with as many layers of so many bytes, each with a configuration. */
interface Load {
  name: string;
  images: { layers: number; bytes: number }[];
  ways: { way: 'case' | 'link'; atLeast: number }[];
}
const same = (count: number, layers: number, bytes: number) => Array.from({ length: count }, () => ({ layers, bytes }));
const loads: Load[] = [
  // 64 × (8 + 1) = 576 blobs
  {
    name: 'heavy',
    images: same(64, 8, 4_194_304),
    ways: [
      { way: 'case', atLeast: 0.9 },
      { way: 'link', atLeast: 0.9 },
    ],
  },
  // 8 × (8 + 1) = 72 blobs
  { name: 'middle', images: same(8, 8, 4_000_000), ways: [{ way: 'case', atLeast: 0.7 }] },
  // 46 × (8 + 1) + 1 × (4 + 1) = 419 blobs
  { name: 'small', images: [...same(46, 8, 10_000), ...same(1, 4, 10_000)], ways: [{ way: 'link', atLeast: 0.5 }] },
];

/**
 * Bytes of memory that a process has of its own (Linux, proc(5), RssAnon): the code of Node.js stands in memory once, whoever
 * runs it. The transfer process counts with all it has, the server with what it grew by.
 */
function memoryOf(pid: number | undefined): number {
  try {
    return 1024 * Number(/^RssAnon:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0);
  } catch {
    return 0;
  }
}

/** A shipment between two registries that are processes of their own, held against curl and sha256sum of the same blobs. */
async function shipped() {
  const dir = mkdtempSync(join(tmpdir(), 'bench-images-'));
  const i = await new Installation().start({ whole: true, speed: 2000 });
  const children: ReturnType<typeof spawn>[] = [];
  try {
    const shift = i.config.addressMap[0]?.portShift ?? 0;
    const ca = await makeCertificate({ commonName: 'Bench CA', isCa: true });
    const password = await hashPassword('bench-secret');
    const start = async (name: string, address: string) => {
      const at = join(dir, name);
      mkdirSync(at, { recursive: true });
      const pair = await makeCertificate({ commonName: name, addresses: [address], ca });
      writeFileSync(join(at, 'key.pem'), pair.key);
      writeFileSync(join(at, 'cert.pem'), pair.cert);
      const config = {
        dir: 'content',
        address: address.replace(/^10/, '127'),
        port: 5000 + shift,
        tls: { key: 'key.pem', cert: 'cert.pem' },
        users: { keeper: { password, writes: true } },
        scheme: 'basic',
      };
      writeFileSync(join(at, 'registry.json'), JSON.stringify(config));
      const child = spawn(
        process.execPath,
        [...nodeFlags, '--import', 'tsx', 'packages/registry/src/main.ts', 'serve', join(at, 'registry.json')],
        {
          stdio: ['ignore', 'pipe', 'inherit'],
        },
      );
      children.push(child);
      await once(child.stdout as NodeJS.ReadableStream, 'data');
    };
    const publications = (load: Load) =>
      load.images.map((image, k) => ({
        image: `10.99.0.30:5000/${load.name}/i${k}:1`,
        layers: Array.from({ length: image.layers }, (_, l) => ({
          key: `${load.name} ${k} ${l}`,
          declaredBytes: 2000 * image.bytes,
        })),
      }));
    await publish(await new Store(join(dir, 'source/content')).open(), loads.flatMap(publications));
    await start('source', '10.99.0.30');
    // One for each round: what is held is not sent again.
    const targets = [1, 2, 3].map((n) => ({ name: `heavy-target-${n}`, address: `10.99.0.3${n}` }));
    for (const t of targets) await start(t.name, t.address);
    const c = await i.as('warden');
    await c.good('POST', '/api/keyring', {
      name: 'bench',
      use: 'registry',
      user: 'keeper',
      secret: 'bench-secret',
      places: ['10.99.0.0/24'],
    });
    const registry = (name: string, address: string, role: string) =>
      `apiVersion: praesidor/v1\nkind: Registry\nname: ${name}\nsite: bw\nrole: ${role}\nendpoint: '${address}:5000'\ncredential: bench\nca: ${JSON.stringify(ca.cert)}\n`;
    const addon = (load: Load) =>
      `apiVersion: praesidor/v1\nkind: Addon\nname: ${load.name}\ntitle: ${load.name}\nversion: '1'\nsource: heavy-source\ncomponents:\n${publications(
        load,
      )
        .map((p, k) => `  - {name: ${load.name}-${k}, image: '${p.image}', on: worker}`)
        .join('\n')}\n`;
    await c.good('POST', '/api/import', {
      text: [
        registry('heavy-source', '10.99.0.30', 'source'),
        ...targets.map((t) => registry(t.name, t.address, 'standing')),
        ...loads.map(addon),
      ].join('---\n'),
    });
    writeFileSync(join(dir, 'ca.pem'), ca.cert);
    for (const load of loads) await measure(load);
    const began = performance.now();
    const again = await c.call('POST', '/api/shipments', { target: 'heavy-target-1', source: 'heavy-source', bills: ['heavy'] });
    const took = (performance.now() - began) / 1000;
    const none = again.status === 409 && String(again.body.message).includes('holds everything');
    row(
      'the same release again',
      `${none ? '0 blobs' : 'something'} to move, known in ${took.toFixed(2)} s`,
      '0 blobs, ≤ 2 s',
      none && took <= 2,
    );

    async function measure(load: Load) {
      await i.running.ctx.db.transaction((m) => i.running.ctx.queue.send(m, 'bills', load.name));
      const bill = await eventually(async () => (await c.estate()).observed.bills[load.name], `the bill of ${load.name}`);
      const list = bill.images.flatMap((x) =>
        x.blobs.map((b) => `https://10.99.0.30:5000/v2/${x.ref.split('/').slice(1).join('/').split(':')[0]}/blobs/${b}`),
      );
      const bytes = sizeOf(bill).bytes;
      const urls = join(dir, `urls-${load.name}`);
      writeFileSync(
        urls,
        [
          'silent',
          'fail',
          `cacert = "${join(dir, 'ca.pem')}"`,
          'user = "keeper:bench-secret"',
          `connect-to = "10.99.0.30:5000:127.99.0.30:${5000 + shift}"`,
          ...list.map((u) => `url = "${u}"`),
        ].join('\n'),
      );
      const plain = async () => {
        const began = performance.now();
        const sh = spawn('bash', ['-c', `set -o pipefail; curl --config ${urls} | sha256sum > /dev/null`], { stdio: 'inherit' });
        const [code] = (await once(sh, 'exit')) as [number];
        if (code) throw new Error(`curl ended with ${code}`);
        return (performance.now() - began) / 1000;
      };
      await plain();
      for (const { way, atLeast } of load.ways) {
        // In turn, pair by pair: on a shared machine a single time says little.
        const pairs: { plain: number; took: number; more: number; stolen: number }[] = [];
        for (const t of targets) {
          const q = await quietest(async () => ({ plain: await plain(), ...(await ship(load, way, t.name)) }), 1);
          pairs.push({ ...q.value, stolen: q.stolen });
        }
        const ratio = median(pairs.map((p) => p.plain / p.took));
        const more = Math.max(...pairs.map((p) => p.more));
        row(
          `shipment of ${list.length} blobs, ${bytesText(bytes)}, ${way === 'case' ? 'into a case on disk, synced' : 'from registry to registry'}`,
          `${median(pairs.map((p) => p.took)).toFixed(2)} s; curl of the same blobs piped to sha256sum ${median(pairs.map((p) => p.plain)).toFixed(2)} s; ratio ${ratio.toFixed(2)} (${pairs.map((p) => (p.plain / p.took).toFixed(2)).join(', ')}); at most ${(more / 1e6).toFixed(0)} MB more memory; ${percent(Math.max(...pairs.map((p) => p.stolen)))} of the processors taken by neighbours`,
          `≥ ${atLeast} of its throughput, ≤ 150 MB`,
          ratio >= atLeast && more <= 150e6,
        );
      }
    }

    async function ship(load: Load, way: 'case' | 'link', target: string) {
      const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
        target,
        source: 'heavy-source',
        bills: [load.name],
        way,
      });
      const before = memoryOf(process.pid);
      let more = 0;
      const watch = setInterval(() => {
        more = Math.max(more, memoryOf(process.pid) - before + memoryOf(i.running.ctx.transfer.pid));
      }, 100);
      await c.good('POST', `/api/shipments/${shipment.label}/start`);
      const done = await shipmentIn(c, shipment.label, way === 'case' ? 'packed' : 'landed');
      // From the click to the end, as the server has put it down: who asks for it asks every now and then.
      const took = (Date.parse(done.endedAt ?? '') - Date.parse(done.startedAt ?? '')) / 1000;
      clearInterval(watch);
      rmSync(join(i.config.dataDir, 'cases', shipment.label), { recursive: true, force: true });
      return { took, more };
    }
  } finally {
    for (const child of children) child.kill('SIGKILL');
    await i.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}

/** Images: bills, cases, a shipment of two gigabytes. */
export async function imagesBench() {
  computed();
  await shipped();
}
