import { largeEstate, asEstate } from '/work/main/demo/large/estate.ts';
import { Checker, check } from '@praesidor/core/checks';
let t = performance.now(); const docs = largeEstate({ hosts: 10000, sites: 300 }); console.log('made', performance.now() - t, docs.length);
const by: Record<string, number> = {}; for (const d of docs) by[d.kind] = (by[d.kind] ?? 0) + 1; console.log(by);
const e = asEstate(docs);
for (let n = 0; n < 3; n++) { t = performance.now(); const r = check(e); console.log('whole', performance.now() - t, r.findings.length); }
const codes: Record<string, number> = {}; for (const f of check(e).findings) codes[f.code] = (codes[f.code] ?? 0) + 1; console.log(codes);
const c = new Checker(); t = performance.now(); c.run(e); console.log('checker first', performance.now() - t, c.view.cells.size);
const edit = (what: string, f: (k: number) => typeof e) => { const ts: number[] = []; for (let k = 0; k < 100; k++) { const x = f(k); t = performance.now(); c.run(x); ts.push(performance.now() - t); } ts.sort((a, b) => a - b); console.log(what, 'median', ts[50], 'p99', ts[98], 'max', ts[99]); c.run(e); };
edit('host', (k) => ({ ...e, hosts: e.hosts.map((h, i) => (i === k * 97 ? { ...h, facts: { ...h.facts!, memoryGiB: 64 + k } } : h)) }));
edit('reservation', (k) => ({ ...e, reservations: e.reservations.map((h, i) => (i === k * 397 ? { ...h, name: `x${k}.${h.name}` } : h)) }));
edit('charter', (k) => ({ ...e, charters: e.charters.map((h, i) => (i === k * 2 ? { ...h, workers: { count: 3 + (k % 5) } } : h)) }));
edit('pods', (k) => ({ ...e, charters: e.charters.map((h, i) => (i === k * 2 ? { ...h, pods: { ...h.pods, range: '10.140.0.0/18' } } : h)) }));
edit('prefix', (k) => ({ ...e, networks: e.networks.map((h, i) => (i === k * 2 ? { ...h, mtu: 1400 } : h)) }));
console.log('heap', process.memoryUsage().heapUsed / 1e6);
