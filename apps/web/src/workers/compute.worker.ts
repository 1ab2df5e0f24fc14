import { makeChecker, nextMoves } from '@praesidor/core/checks';
import { consequences, resolve } from '@praesidor/core/charter';
import { applyEdits, type Charter, type Edit, type Estate, readDocuments, writeDocument } from '@praesidor/core/model';
import { expose } from 'comlink';
import { config } from 'zod';

/** Everything that must answer while somebody types, away from the page's own thread. */
// The page's policy forbids compiling code at run time; schemas are interpreted.
config({ jitless: true });

let estate: Estate | undefined;
let revision = -1;
const checker = makeChecker();

export const compute = {
  load(next: Estate, rev: number) {
    estate = next;
    revision = rev;
  },
  revision: () => revision,
  report(built: Record<string, { number: number; state: string }>) {
    if (!estate) return undefined;
    const began = performance.now();
    const { findings, checks, holding } = checker(estate);
    return { findings, checks, holding, ms: performance.now() - began, moves: nextMoves(estate, findings, built) };
  },
  /** The charter as drafted: its plan, its findings, and what it changes against the one that is saved. */
  charter(draft: Charter) {
    if (!estate) return undefined;
    const began = performance.now();
    const before = estate.charters.find((c) => c.name === draft.name);
    const same = before && JSON.stringify(before) === JSON.stringify(draft);
    const after = same ? estate : { ...estate, charters: [...estate.charters.filter((c) => c.name !== draft.name), draft] };
    const plan = resolve(draft, after);
    const { findings, checks, holding } = checker(after);
    return {
      plan,
      findings: findings.filter((f) => f.charters.includes(draft.name) || f.site === draft.site),
      checks,
      holding,
      ms: performance.now() - began,
      changes: same ? [] : consequences(before ? resolve(before, estate) : undefined, plan, estate),
    };
  },
  /** The text of a charter, and back with every fault at its place. */
  write: (draft: Charter) => writeDocument(draft),
  read(text: string) {
    const { docs, faults } = readDocuments(text, 'charter');
    const doc = docs[0]?.doc;
    if (!faults.length && (docs.length !== 1 || doc?.kind !== 'Charter'))
      faults.push({
        file: 'charter',
        line: 1,
        column: 1,
        path: '',
        code: 'kind',
        message: 'the text must hold exactly one charter',
      });
    return { faults, doc: doc?.kind === 'Charter' && !faults.length ? doc : undefined };
  },
  /** A document after a remedy, for showing what it will change. */
  edited(edits: Edit[]) {
    return estate ? applyEdits(estate, edits) : undefined;
  },
};
export type Compute = typeof compute;
expose(compute);
