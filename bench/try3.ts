import { largeEstate, asEstate } from '../demo/large/estate.ts';
import { Checker } from '@praesidor/core/checks';
const e = asEstate(largeEstate({ hosts: 10000, sites: 300 }));
const c = new Checker(); c.run(e);
const xs = Array.from({ length: 120 }, (_, k) => ({ ...e, reservations: e.reservations.map((h, i) => (i === k * 317 ? { ...h, name: `x${k}-${h.name}` } : h)) }));
const hs = Array.from({ length: 120 }, (_, k) => ({ ...e, hosts: e.hosts.map((h, i) => (i === k * 83 ? { ...h, facts: { ...h.facts!, memoryGiB: 64 + k } } : h)) }));
for (const [what, list] of [['reservation', xs], ['host', hs]] as const) { const ts: number[] = []; for (const x of list) { const t = performance.now(); c.run(x); ts.push(performance.now() - t); } ts.sort((a, b) => a - b); console.log(what, ts[60], ts[118], ts[119]); c.run(e); }
const { Session } = await import('node:inspector/promises'); const s = new Session(); s.connect(); await s.post('Profiler.enable'); await s.post('Profiler.setSamplingInterval', { interval: 100 }); await s.post('Profiler.start');
for (const x of process.argv[2] === 'h' ? hs : xs) c.run(x);
const { profile } = await s.post('Profiler.stop'); const { mkdirSync, writeFileSync } = await import('node:fs'); mkdirSync('/tmp/prof3', { recursive: true }); writeFileSync('/tmp/prof3/a.cpuprofile', JSON.stringify(profile));
