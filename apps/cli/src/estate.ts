import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  type Bill,
  type Charter,
  type Doc,
  docsOf,
  emptyEstate,
  type Estate,
  keyOf,
  nearest,
  readDocuments,
  sliceOf,
} from '@praesidor/core/model';
import { keysNamedIn } from '@praesidor/core/access';
import { resolve } from '@praesidor/core/charter';
import { roomOf } from '@praesidor/core/rehearse';
import type { Asked, Options } from './options.ts';

/** Input that cannot be worked with; every fault on its line as file:line:column. */
export class Unusable extends Error {}

/** Options of a command that works on an estate: its folder, and the time to compute with. */
export const estateOption: [string, string] = ['--estate <dir>', 'folder with the estate as YAML'];
export const nowOption: [string, string] = ['--now <time>', 'the time to compute with (ISO 8601); the clock otherwise'];

/** The estate that a command was given. @throws Unusable where it was given none */
export function estateOf({ options }: Asked): Estate {
  if (typeof options.estate !== 'string') throw new Unusable('give --estate, the folder with the estate as YAML');
  return readEstate({ estate: options.estate, ...(typeof options.now === 'string' ? { now: options.now } : {}) });
}

/** The estate of a folder: all its .yaml, .yml and .json files, bills from `observed/bills/*.json` where there are any. */
export function readEstate({ estate: dir, now }: Pick<Options, 'estate' | 'now'>): Estate {
  const at = now ?? new Date().toISOString();
  if (Number.isNaN(Date.parse(at))) throw new Unusable(`--now: ${at} is not a time; write it like 2026-11-23T09:00:00Z`);
  const names = list(dir)
    .filter((f) => /\.(ya?ml|json)$/.test(f))
    .sort();
  if (!names.length) throw new Unusable(`${dir}: there is no .yaml file in it`);
  const estate = emptyEstate(new Date(at).toISOString());
  const places = new Map<string, string>();
  const faults: string[] = [];
  for (const name of names) {
    const read = readDocuments(text(join(dir, name)), join(dir, name));
    faults.push(...read.faults.map((f) => `${f.file}:${f.line}:${f.column}: ${f.path ? `${f.path}: ` : ''}${f.message}`));
    for (const { doc, file, line } of read.docs) {
      const key = `${doc.kind} ${keyOf(doc)}`;
      const first = places.get(key);
      if (first) faults.push(`${file}:${line}:1: ${key} is declared a second time; first at ${first}`);
      places.set(key, `${file}:${line}`);
      (estate[sliceOf[doc.kind]] as Doc[]).push(doc);
    }
  }
  if (faults.length) throw new Unusable(faults.join('\n'));
  const bills = join(dir, 'observed', 'bills');
  for (const f of list(bills, true).filter((x) => x.endsWith('.json'))) {
    const bill = JSON.parse(text(join(bills, f))) as Bill;
    estate.observed.bills[bill.name] = bill;
  }
  // Without a server there is no keyring to hold names against: those that the estate uses are taken as there.
  estate.keys = keysNamedIn(docsOf(estate));
  return estate;
}

const list = (dir: string, optional = false): string[] => {
  try {
    return readdirSync(dir);
  } catch (e) {
    if (optional) return [];
    throw new Unusable(
      `${dir}: ${(e as NodeJS.ErrnoException).code === 'ENOENT' ? 'there is no such folder' : (e as Error).message}`,
    );
  }
};
const text = (file: string): string => readText(file);

/** The text of a file. @throws Unusable when it is not there, or larger than what is read at once */
export function readText(file: string, most = 16_000_000): string {
  try {
    if (statSync(file).size > most) throw new Unusable(`${file}:1:1: larger than ${most / 1e6} MB`);
    return readFileSync(file, 'utf8');
  } catch (e) {
    if (e instanceof Unusable) throw e;
    throw new Unusable(
      `${file}: ${(e as NodeJS.ErrnoException).code === 'ENOENT' ? 'there is no such file' : (e as Error).message}`,
    );
  }
}

/** The charter asked for, or all of them. */
export function chartersOf(estate: Estate, name: string | undefined): Charter[] {
  if (!name) return estate.charters;
  const found = estate.charters.filter((c) => c.name === name);
  if (!found.length) {
    const near = nearest(
      name,
      estate.charters.map((c) => c.name),
    );
    throw new Unusable(
      `--charter: there is no charter ${name}${near ? `; did you mean ${near}?` : `; there are ${estate.charters.map((c) => c.name).join(', ') || 'none'}`}`,
    );
  }
  return found;
}

/** The cluster that the first word names, with its plan and who stands where in it. @throws Unusable with what there is */
export function plannedCluster(asked: Asked) {
  const estate = estateOf(asked);
  const name = asked.words[0] as string;
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) {
    const near = nearest(
      name,
      estate.charters.map((c) => c.name),
    );
    throw new Unusable(`there is no cluster ${name}${near ? `; did you mean ${near}?` : ''}`);
  }
  const plan = resolve(charter, estate);
  return { estate, plan, room: roomOf(plan) };
}
