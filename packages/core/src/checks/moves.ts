import { formatIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { drift } from '../naming/drift.ts';
import { plannedRecords, recordsOfZone } from '../naming/plan.ts';
import type { Estate } from '../model/estate.ts';
import type { Finding, Remedy } from './check.ts';

/** One thing to do next. `go` leads to where it is done; `remedy` does it. */
export interface Move {
  site: string;
  stage: 'mend' | 'hosts' | 'names' | 'images' | 'charter' | 'build' | 'done';
  text: string;
  label: string;
  go: string;
  remedy?: Remedy;
}

/** The last build of a charter; `failed`: its first step that failed and was not tried again, in words. */
export interface Built {
  number: number;
  state: string;
  failed?: string | undefined;
}

/**
 * What to do next, what failed first and the rest in the order of the job: machines first, then what their charters lack, then names,
 * then the build. Computed from the estate, its findings, and which charters have been built.
 */
export function nextMoves(estate: Estate, findings: readonly Finding[], built: Record<string, Built> = {}): Move[] {
  const moves: Move[] = [];
  for (const site of estate.sites) {
    const q = `site=${site.name}`;
    const charters = estate.charters.filter(
      (c) => c.site === site.name && !estate.hosts.some((h) => h.held?.charter === c.name && h.state === 'serving'),
    );
    const listed = new Set(estate.hosts.map((h) => h.bmc?.address));
    const sighted = estate.observed.sightings.filter((s) => s.site === site.name && !listed.has(s.address));
    const management = estate.networks.find((n) => n.site === site.name && n.purpose === 'management');
    const short = findings.find((f) => f.code === 'CHT-005' && charters.some((c) => c.name === f.subject.name));
    const say = (stage: Move['stage'], text: string, label: string, go: string, remedy?: Remedy) =>
      moves.push({ site: site.name, stage, text: `${site.title}: ${text}`, label, go, ...(remedy ? { remedy } : {}) });
    const fresh = sighted.filter((s) => !s.accepted);
    const measured = sighted.filter((s) => s.accepted && s.facts);
    if (short && management && !sighted.length) {
      const r = prefixRange(parsePrefix(management.prefix));
      say(
        'hosts',
        `${short.subject.name} has too few hosts; sweep ${management.prefix} for machines nobody has listed`,
        'Sweep for hosts',
        `/hosts?${q}&sweep=${formatIp({ v: r.v, n: r.first + 1n })}-${formatIp({ v: r.v, n: r.last - 1n })}`,
      );
    }
    if (short && fresh.length)
      say('hosts', `${fresh.length} controllers were sighted; compare and accept their fingerprints`, 'Accept', `/hosts?${q}`);
    if (short && measured.length) say('hosts', `${measured.length} measured hosts are nobody's yet`, 'List them', `/hosts?${q}`);
    for (const c of charters) {
      const own = findings.filter((f) => f.severity === 'stop' && f.charters.includes(c.name) && f.code !== 'CHT-005');
      for (const f of own) {
        const act = f.remedy?.act;
        const full = act?.kind === 'plan-shipment' && findings.find((x) => x.code === 'IMG-012' && x.subject.name === act.target);
        // A shipment that its disk cannot take is not offered: room comes first.
        if (full)
          say(
            'images',
            full.title,
            full.remedy?.label ?? 'Open it',
            full.remedy?.act?.kind === 'open' ? `${full.remedy.act.path}&${q}` : `/images?${q}`,
          );
        else if (act?.kind === 'plan-shipment')
          say(
            'images',
            `${f.title}; ship them to ${act.target}`,
            'Plan the shipment',
            `/images?${q}&plan=${act.target}&bills=${act.bills.join(',')}`,
            f.remedy,
          );
        else
          say(
            'charter',
            `${c.name}: ${f.title}`,
            f.remedy?.label ?? 'Open it',
            `/clusters/${c.name}?${q}`,
            f.remedy?.edits ? f.remedy : undefined,
          );
      }
      const b = built[c.name];
      if (b?.failed)
        say(
          'mend',
          `build ${b.number} of ${c.name}: ${b.failed} failed; mend it and retry`,
          'Open the build',
          `/builds/${c.name}/${b.number}?${q}`,
        );
      else if (!short && !own.length && (b?.state === 'failed' || b?.state === 'stopped'))
        say(
          'build',
          `build ${b.number} of ${c.name} ${b.state === 'stopped' ? 'was stopped' : 'failed'}; resume it`,
          'Open the build',
          `/builds/${c.name}/${b.number}?${q}`,
        );
      else if (!own.length && b && ['queued', 'running', 'holding'].includes(b.state))
        say('build', `${c.name} is being built`, 'Watch', `/builds/${c.name}/${b.number}?${q}`);
      else if (!own.length && !findings.some((f) => f.code === 'CHT-005' && f.subject.name === c.name))
        say('build', `${c.name} can be built: nothing stops it`, 'Build', `/clusters/${c.name}?${q}`);
    }
    const planned = plannedRecords(estate);
    for (const z of estate.zones.filter((x) => x.site === site.name)) {
      const served = estate.observed.zones[z.name];
      if (!served || served.error) continue;
      const d = drift(recordsOfZone(planned, z.name), served.records);
      if (d.add.length + d.change.length)
        say(
          'names',
          `${z.name}: ${differing(d.change.length, d.add.length)} on the server`,
          'Show the DNS update',
          `/addresses/names?${q}&zone=${z.name}`,
        );
    }
  }
  const order: Move['stage'][] = ['mend', 'hosts', 'charter', 'images', 'names', 'build', 'done'];
  const first = (m: Move) => (estate.sites.find((s) => s.name === m.site)?.reach === 'sealed' ? 0 : 1);
  const broken = (m: Move) => (m.stage === 'mend' ? 0 : 1);
  return moves.sort((a, b) => broken(a) - broken(b) || first(a) - first(b) || order.indexOf(a.stage) - order.indexOf(b.stage));
}

/** 1 record differs, 2 records are missing. */
function differing(changed: number, missing: number): string {
  const records = (n: number, one: string, many: string) => (n ? [`${n} ${n === 1 ? `record ${one}` : `records ${many}`}`] : []);
  return [...records(changed, 'differs', 'differ'), ...records(missing, 'is missing', 'are missing')].join(' and ');
}
