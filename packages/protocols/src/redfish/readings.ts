import { z } from 'zod';
import { ProtocolError } from '../dial/index.ts';
import { type Bmc, Collection, firstSystem, get, Link } from './bmc.ts';

export interface LogEntry {
  at: string;
  severity: 'OK' | 'Warning' | 'Critical';
  text: string;
}
const Entry = z.object({
  Created: z.string().nullish(),
  Severity: z.string().nullish(),
  Message: z.string().nullish(),
});

/** The controller's event log, newest first; at most `most` entries. */
export async function readLog(b: Bmc, most = 100): Promise<LogEntry[]> {
  const { LogServices } = await get(b, await firstSystem(b), z.object({ LogServices: Link.nullish() }));
  if (!LogServices) return [];
  const out: LogEntry[] = [];
  for (const service of (await get(b, LogServices['@odata.id'], Collection)).Members.slice(0, 4)) {
    const { Entries } = await get(b, service['@odata.id'], z.object({ Entries: Link.nullish() }));
    if (!Entries) continue;
    const all = await get(b, Entries['@odata.id'], z.object({ Members: z.array(z.union([Entry, Link])).max(5000) }));
    for (const m of all.Members.slice(-most)) {
      const e = '@odata.id' in m && !('Message' in m) ? await get(b, m['@odata.id'], Entry) : (m as z.infer<typeof Entry>);
      out.push({
        at: Number.isNaN(Date.parse(e.Created ?? '')) ? '' : new Date(e.Created as string).toISOString(),
        severity: e.Severity === 'Warning' || e.Severity === 'Critical' ? e.Severity : 'OK',
        text: (e.Message ?? '').slice(0, 500),
      });
    }
  }
  return out.sort((x, y) => (x.at < y.at ? 1 : -1)).slice(0, most);
}

export interface Reading {
  name: string;
  kind: string;
  value: number;
  unit: string;
}
const units: Record<string, string> = { Cel: '°C', W: 'W', '{rev}/min': 'rpm', V: 'V', A: 'A', '%': '%' };

/** What the sensors of the chassis say now. Units are those of UCUM, as people write them. */
export async function readSensors(b: Bmc): Promise<Reading[]> {
  const { Members } = await get(b, '/redfish/v1/Chassis', Collection);
  const path = Members[0]?.['@odata.id'];
  if (!path) return [];
  const { Sensors } = await get(b, path, z.object({ Sensors: Link.nullish() }));
  if (!Sensors) return [];
  const out: Reading[] = [];
  for (const m of (await get(b, Sensors['@odata.id'], Collection)).Members.slice(0, 64)) {
    try {
      const s = await get(
        b,
        m['@odata.id'],
        z.object({
          Name: z.string().nullish(),
          ReadingType: z.string().nullish(),
          Reading: z.number().nullish(),
          ReadingUnits: z.string().nullish(),
        }),
      );
      if (s.Name && typeof s.Reading === 'number')
        out.push({
          name: s.Name.slice(0, 60),
          kind: s.ReadingType ?? '',
          value: s.Reading,
          unit: units[s.ReadingUnits ?? ''] ?? s.ReadingUnits ?? '',
        });
    } catch (e) {
      // One sensor that cannot be read keeps nobody from the others.
      if (!(e instanceof ProtocolError) || !['answer', 'missing'].includes(e.fault)) throw e;
    }
  }
  return out;
}
