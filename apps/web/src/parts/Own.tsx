import { meaningOf } from '@praesidor/core/words';

/** A word that has a meaning of its own here: the line that explains it shows on hover. */
export function Own({ children: word }: { children: string }) {
  const meaning = meaningOf(word);
  return meaning ? (
    <span title={meaning} className="cursor-help">
      {word}
    </span>
  ) : (
    word
  );
}
