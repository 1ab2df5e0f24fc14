import { largeEstate, asEstate } from '../demo/large/estate.ts';
import { check } from '@praesidor/core/checks';
const e = asEstate(largeEstate({ hosts: 10000, sites: 300 }));
check(e); 
const { Session } = await import('node:inspector/promises'); const s = new Session(); s.connect(); await s.post('Profiler.enable'); await s.post('Profiler.start');
for (let n = 0; n < 3; n++) check(e);
const { profile } = await s.post('Profiler.stop'); const { mkdirSync, writeFileSync } = await import('node:fs'); mkdirSync('/tmp/prof2', { recursive: true }); writeFileSync('/tmp/prof2/a.cpuprofile', JSON.stringify(profile));
