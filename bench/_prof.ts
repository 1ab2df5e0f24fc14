import { readdirSync, readFileSync } from 'node:fs';
import { emptyEstate, readDocuments, sliceOf, type Doc } from '@praesidor/core/model';
import { catalogue, check, View } from '@praesidor/core/checks';
const e = emptyEstate('2026-11-23T09:00:00Z');
for (const f of readdirSync('demo/estate')) for (const { doc } of readDocuments(readFileSync(`demo/estate/${f}`, 'utf8')).docs) (e[sliceOf[doc.kind]] as Doc[]).push(doc);
e.keys = ['bmc-lr','bmc-bw','bmc-ships','lr-dns','bw-dns','bw-registry','lr-registry','ptl-registry','dnl-registry','tst-registry'].map((name) => ({ name, use: 'x' }));
const dg = (n: number) => `sha256:${n.toString(16).padStart(64, '0')}`;
for (const r of [...e.releases, ...e.addons]) { const images = r.components.map((c, i) => ({ ref: c.image, component: c.name, on: c.on, digest: dg(1e6 + i), manifests: [dg(1e6 + i), dg(2e6 + i)], blobs: Array.from({ length: 7 }, (_, k) => dg(i * 10 + k)) })); e.observed.bills[r.name] = { name: r.name, at: '', images, blobs: Object.fromEntries(images.flatMap((i) => i.blobs.map((b) => [b, { bytes: 1, paper: 1 }]))) }; }
for (const r of e.registries) e.observed.registries[r.name] = { at: '', digests: Object.keys(e.observed.bills['1.34.2']!.blobs) };
for (let i = 0; i < 30; i++) check(e);
const t0 = performance.now(); for (let i = 0; i < 20; i++) check(e); console.log('whole', (performance.now() - t0) / 20);
const times = new Map<string, number>();
for (let i = 0; i < 20; i++) { const v = new View(e); for (const c of e.charters) { const t = performance.now(); v.plan(c); times.set('plan', (times.get('plan') ?? 0) + performance.now() - t); } for (const c of catalogue) { const t = performance.now(); c.find(v); times.set(c.code, (times.get(c.code) ?? 0) + performance.now() - t); } }
for (const [k, v] of [...times].sort((a, b) => b[1] - a[1]).slice(0, 12)) console.log(k, (v / 20).toFixed(2));
