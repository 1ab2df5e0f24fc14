import { parsePrefix } from '@praesidor/core/address';
import { nearest, type ServedRecord, type Zone } from '@praesidor/core/model';
import {
  delegation,
  drift,
  lintPairs,
  lintZone,
  type MasterRecord,
  nextSerial,
  plannedRecords,
  readMaster,
  recordsOfZone,
  reverseName,
  reverseZones,
  updateFor,
  zoneFile,
  type ZoneProblem,
} from '@praesidor/core/naming';
import { estateOf, estateOption, nowOption, readText, Unusable } from '../estate.ts';
import type { Asked, CommandGroup } from '../options.ts';

function zoneOf(zones: readonly Zone[], name: string): Zone {
  const zone = zones.find((z) => z.name === name.replace(/\.$/, ''));
  if (zone) return zone;
  const near = nearest(
    name,
    zones.map((z) => z.name),
  );
  throw new Unusable(
    `there is no zone ${name}${near ? `; did you mean ${near}?` : `; there are ${zones.map((z) => z.name).join(', ') || 'none'}`}`,
  );
}
/** `zone=file`, or a file whose name is the zone's with .zone behind it. */
function fileOf(word: string): { zone: string; file: string } {
  const at = word.indexOf('=');
  if (at > 0) return { zone: word.slice(0, at).replace(/\.$/, ''), file: word.slice(at + 1) };
  const base = word.split('/').at(-1) ?? word;
  if (!base.endsWith('.zone')) throw new Unusable(`${word}: write it as ZONE=FILE, or name the file ZONE.zone`);
  return { zone: base.slice(0, -5), file: word };
}
function readZoneFile(word: string): { zone: string; file: string; records: MasterRecord[]; problems: ZoneProblem[] } {
  const { zone, file } = fileOf(word);
  const read = readMaster(readText(file, 500_000_000), zone);
  return { zone, file, records: read.records, problems: read.problems };
}
const put = (asked: Asked, write: (t: string) => void, json: unknown, text: () => string) =>
  write(asked.options.json ? `${JSON.stringify(json, null, 2)}\n` : text());

/** Zones: written from the plan, judged as files, held against what is served, and reverse names. */
export const names: CommandGroup = {
  name: 'names',
  about: 'zone files written and checked, planned against served, reverse zones',
  commands: [
    {
      name: 'write',
      about: 'the master file of a zone as it is planned, or of all with --out',
      words: '[zone]',
      options: [estateOption, nowOption, ['--serial <n>', 'the serial that is served now; the next one is written']],
      run: (asked, write) => {
        const estate = estateOf(asked);
        const all = plannedRecords(estate);
        const serial = nextSerial(Number(asked.options.serial ?? 0) || 0, estate.now);
        const zones = asked.words[0] ? [zoneOf(estate.zones, asked.words[0])] : estate.zones;
        const made = zones.map((z) => ({ zone: z.name, text: zoneFile(z, serial, recordsOfZone(all, z.name)) }));
        put(
          asked,
          write,
          made.map(({ zone, text }) => ({ zone, serial, text })),
          () => made.map((m) => (made.length > 1 ? `; ${m.zone}\n${m.text}` : m.text)).join('\n'),
        );
        return 0;
      },
    },
    {
      name: 'lint',
      about: 'what is wrong with master files: ZONE=FILE or ZONE.zone, several together for forward and reverse',
      words: '<file...>',
      options: [['--served <serial>', 'the serial that is served now: it must not go back']],
      run: (asked, write) => {
        const before = asked.options.served === undefined ? undefined : Number(asked.options.served);
        const read = asked.words.map(readZoneFile);
        const found = [
          ...read.flatMap((z) =>
            [...z.problems, ...lintZone(z.zone, z.records, before).problems].map((p) => ({ ...p, file: z.file, zone: z.zone })),
          ),
          ...(read.length > 1
            ? lintPairs(
                read.map((z) => ({ name: z.zone, records: z.records })),
                reverseName,
              ).map((p) => ({ ...p, file: read.find((z) => z.zone === p.zone)?.file ?? '' }))
            : []),
        ].sort((a, b) => (a.file < b.file ? -1 : a.file > b.file ? 1 : a.line - b.line));
        const records = read.reduce((n, z) => n + z.records.length, 0);
        put(
          asked,
          write,
          { records, problems: found },
          () =>
            `${found.map((p) => `${p.file}:${p.line}:${p.column}: ${p.severity} ${p.code}: ${p.message}\n`).join('')}${records} records, ${found.length} found\n`,
        );
        return found.some((p) => p.severity === 'stop') ? 1 : 0;
      },
    },
    {
      name: 'diff',
      about: 'the plan’s zone against a master file of what is served: what an update would change',
      words: '<file>',
      options: [estateOption, nowOption],
      run: (asked, write) => {
        const estate = estateOf(asked);
        const served = readZoneFile(asked.words[0] as string);
        if (served.problems.length)
          throw new Unusable(served.problems.map((p) => `${served.file}:${p.line}:${p.column}: ${p.message}`).join('\n'));
        const zone = zoneOf(estate.zones, served.zone);
        const d = drift(recordsOfZone(plannedRecords(estate), zone.name), served.records);
        const line = (mark: string, r: ServedRecord) => `${mark} ${r.name} ${r.ttl} ${r.type} ${r.value}\n`;
        put(asked, write, { ...d, update: updateFor(d) }, () =>
          [
            ...d.change.map(
              (c) => `~ ${c.name} ${c.type} ${c.served.join(', ')} (${c.servedTtl} s) → ${c.planned.join(', ')} (${c.ttl} s)\n`,
            ),
            ...d.add.map((r) => line('+', r)),
            ...d.remove.map((r) => line('-', r)),
            ...d.foreign.map((r) => line('?', r)),
            `${d.same} as planned, ${d.change.length} to change, ${d.add.length} to add, ${d.foreign.length} foreign\n`,
          ].join(''),
        );
        return d.add.length + d.change.length + d.remove.length ? 1 : 0;
      },
    },
    {
      name: 'reverse',
      about: 'the reverse name of an address, or the reverse zones of a prefix with what delegates them',
      words: '<address-or-prefix>',
      options: [['--servers <list>', 'names of the servers that a zone below a /24 is delegated to']],
      run: (asked, write) => {
        const text = asked.words[0] as string;
        try {
          if (!text.includes('/')) {
            const name = reverseName(text);
            put(asked, write, { name }, () => `${name}\n`);
            return 0;
          }
          const servers = typeof asked.options.servers === 'string' ? asked.options.servers.split(/[\s,;]+/).filter(Boolean) : [];
          const zones = reverseZones(parsePrefix(text)).map((z) => ({
            name: z.name,
            ...(z.parent ? { parent: z.parent, delegation: delegation(z, servers) } : {}),
          }));
          put(asked, write, { zones }, () =>
            zones
              .map((z) => `${z.name}\n${(z.delegation ?? []).map((r) => `  ${r.name}. IN ${r.type} ${r.value}.\n`).join('')}`)
              .join(''),
          );
          return 0;
        } catch (e) {
          throw new Unusable((e as Error).message);
        }
      },
    },
  ],
};
