import type { Principal } from '@praesidor/core/access';
import type { Change, Edit } from '@praesidor/core/model';
import type { DataSource, EntityManager } from 'typeorm';
import { record, recordAll } from '../audit.ts';
import { type Asking, asking, within } from '../auth/asking.ts';
import { fourEyesIn } from '../access/permit.ts';
import { Refusal } from '../refusal.ts';
import { countsForTeams } from './allowance.ts';
import { changePlan, permitted } from './change.ts';
import { changedMeanwhile, changesOf, lockDocs, nameOf, type Ref, refOf, writeDeeds } from './documents.ts';

/** What one person wants to be changed, as one act. */
export interface Asked {
  who: Principal;
  edits: readonly Edit[];
  why: string;
  /** The last position that the person had seen: what somebody changed since is not overwritten. */
  revision?: number | undefined;
}
interface Waiting extends Asked {
  refs: Ref[];
  done: (act: number) => void;
  /** Whose request it is: several are answered together. */
  by: Asking | undefined;
  fail: (reason: unknown) => void;
}
type Outcome = { act: number } | { refused: Refusal } | 'alone';

const mostActs = 32;
/** More documents than this in one act are no edit by hand: they get a transaction of their own. */
const mostDocs = 50;

/**
 * Edits of documents that stand. Those of many people who ask at once go through one transaction, each as an act of its own:
 * decided by itself, refused by itself, undone by itself. Nobody waits here for a document that somebody else holds, and
 * whatever is not simple goes alone: documents that come or go, long lists, and every act of a transaction that failed.
 */
export class EditsTogether {
  private waiting: Waiting[] = [];
  private busy = false;

  constructor(private readonly db: DataSource) {}

  /** @returns the number of the act in the record @throws Refusal that says why not; then nothing of it stands */
  ask(asked: Asked): Promise<number> {
    const refs = asked.edits.map(refOf);
    const simple = refs.length <= mostDocs && asked.edits.every((e) => e.op !== 'drop');
    if (!simple) return alone(this.db, asked);
    return new Promise((done, fail) => {
      this.waiting.push({ ...asked, refs, by: asking(), done, fail });
      if (!this.busy) void this.go();
    });
  }

  private async go(): Promise<void> {
    this.busy = true;
    while (this.waiting.length) {
      const group = apart(this.waiting);
      this.waiting = this.waiting.filter((w) => !group.includes(w));
      const outcomes = await this.db.transaction((m) => together(m, group)).catch(() => group.map((): Outcome => 'alone'));
      for (const [n, one] of group.entries()) {
        const o = outcomes[n] as Outcome;
        if (o === 'alone') void within(one.by, () => alone(this.db, one)).then(one.done, one.fail);
        else if ('act' in o) one.done(o.act);
        else one.fail(o.refused);
      }
    }
    this.busy = false;
  }
}

/** One act in a transaction of its own; whoever holds its documents is waited for. */
const alone = (db: DataSource, { who, edits, why, revision }: Asked): Promise<number> =>
  db.transaction(async (m) => {
    const changes = await changePlan(m, who, edits, { ...how, note: why, revision });
    return record(m, who.login, why, subjectOf(changes), {}, changes);
  });

const how = { act: 'plan.edit', via: 'hand' } as const;
const subjectOf = (changes: readonly Change[]) => changes.map((c) => `${c.kind} ${c.key}`).join(', ');

/** The oldest that have no document in common. */
function apart(waiting: readonly Waiting[]): Waiting[] {
  const taken = new Set<string>();
  const out: Waiting[] = [];
  for (const w of waiting) {
    if (out.length === mostActs) break;
    const names = w.refs.map(nameOf);
    // Whoever came later and wants the same does not get before the one who came first.
    const free = !names.some((n) => taken.has(n));
    for (const n of names) taken.add(n);
    if (free) out.push(w);
  }
  return out;
}

/** Several acts in one transaction: what is refused is left out of it, the others are written together. */
async function together(m: EntityManager, group: readonly Waiting[]): Promise<Outcome[]> {
  const outcomes: Outcome[] = group.map(() => 'alone');
  const standing = await lockDocs(
    m,
    group.flatMap((w) => w.refs),
    'leave',
  );
  // Asked once for all of them.
  const eyes = await fourEyesIn(m);
  const deeds: { n: number; of: Waiting; changes: Change[] }[] = [];
  for (const [n, of] of group.entries()) {
    if (!of.refs.every((r) => standing.has(nameOf(r)))) continue;
    try {
      const changes = await permitted(m, of.who, changesOf(of.edits, standing), { ...how, eyes });
      if (countsForTeams(changes)) continue;
      deeds.push({ n, of, changes });
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      outcomes[n] = { refused: e };
    }
  }
  const seen = deeds.filter((d) => d.of.revision !== undefined);
  const late = await changedMeanwhile(
    m,
    seen.map((d) => ({ changes: d.changes, revision: d.of.revision as number })),
  );
  for (const [k, d] of seen.entries()) if (late[k]) outcomes[d.n] = { refused: late[k] };
  const good = deeds.filter((d) => outcomes[d.n] === 'alone');
  if (!good.length) return outcomes;
  await writeDeeds(
    m,
    good.map(({ of, changes }) => ({ by: of.who.login, note: of.why, changes })),
  );
  const acts = await recordAll(
    m,
    good.map(({ of, changes }) => ({
      who: of.who.login,
      act: of.why,
      subject: subjectOf(changes),
      changes,
      under: how.act,
      asked: of.by,
    })),
  );
  for (const [k, d] of good.entries()) outcomes[d.n] = { act: acts[k] as number };
  return outcomes;
}
