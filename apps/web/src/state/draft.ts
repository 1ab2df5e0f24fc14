import { type Collision, type FieldChange, differences, getAt, mergeFields, same, withFields } from '@praesidor/core/model';

/**
 * What one person has changed in a document and not saved: only the differences, each with the value that they found.
 * What others save meanwhile comes through wherever this person has not touched it.
 */
export interface Draft {
  changes: FieldChange[];
  /** Version of the document that it began from. */
  version: number;
  /** When it began, ISO 8601. */
  since: string;
  /** The text as this person wrote it, comments and all, where they wrote it as text. */
  text?: string;
  /** It cannot be read as it is. */
  unread?: true;
}

const key = (path: FieldChange['path']) => JSON.stringify(path);

/** What is shown: what stands, with this person's values in it, also where others set that field meanwhile. */
export const shown = <T extends object>(standing: T, draft: Draft | undefined): T =>
  draft ? withFields(standing, draft.changes, 'after') : standing;

/** Fields that somebody else has set to another value since the draft found them. */
export const collisionsOf = (standing: object, draft: Draft | undefined): Collision[] =>
  draft ? mergeFields(standing, draft.changes).collisions : [];

/** The document that a draft was begun from as far as it matters: what stands, with the values that the person found. */
export const baseOf = <T extends object>(standing: T, draft: Draft): T => withFields(standing, draft.changes, 'before');

/** The draft after an edit of what is shown; undefined when nothing differs any more. */
export function edited(
  standing: object,
  draft: Draft | undefined,
  next: object,
  now: { version: number; at: string },
  written?: { text: string; unread?: boolean },
): Draft | undefined {
  // What stands by now as it was wanted is nobody's to keep any more: it may have been saved, and nobody was there to hear it.
  const open = (draft?.changes ?? []).filter((c) => !same(getAt(standing, c.path), c.after));
  const found = new Map(open.map((c) => [key(c.path), c]));
  const goesOn = open.length > 0 || draft?.text !== undefined ? draft : undefined;
  const changes = differences(standing, next).map((c): FieldChange => {
    const old = found.get(key(c.path));
    // A field that was touched before keeps the value that it was found with: only so is it seen that others changed it.
    return old ? { path: c.path, before: old.before, after: c.after } : c;
  });
  const text = written?.text ?? draft?.text;
  if (!changes.length && written === undefined) return undefined;
  return {
    changes,
    version: goesOn?.version ?? now.version,
    since: goesOn?.since ?? now.at,
    ...(text === undefined ? {} : { text }),
    ...((written ? written.unread : draft?.unread) ? { unread: true as const } : {}),
  };
}

/** The draft after a collision was decided: theirs is taken and the change dropped, or mine stands knowingly over theirs. */
export function decided(draft: Draft, c: Collision, whose: 'mine' | 'theirs'): Draft | undefined {
  const changes = draft.changes.flatMap((x): FieldChange[] => {
    if (key(x.path) !== key(c.path)) return [x];
    return whose === 'theirs' ? [] : [{ ...x, before: c.theirs }];
  });
  return changes.length ? { ...draft, changes } : undefined;
}

/** Whether a draft says anything else than what stands. */
export const differs = (standing: object, draft: Draft | undefined): draft is Draft =>
  draft !== undefined && (draft.text !== undefined || !same(standing, shown(standing, draft)));
