import { useEffect } from 'react';
import { useUndo } from '../state/act.ts';
import { useWords, type Word } from '../state/toasts.ts';

export function Words() {
  const words = useWords((s) => s.words);
  return (
    <div className="fixed bottom-9 left-5.5 z-30 flex w-[430px] flex-col gap-1.5" role="status" aria-live="polite">
      {words.map((w) => (
        <One key={w.id} word={w} />
      ))}
    </div>
  );
}

function One({ word }: { word: Word }) {
  const drop = useWords((s) => s.drop);
  const undo = useUndo();
  useEffect(() => {
    const t = setTimeout(() => drop(word.id), word.kind === 'refused' ? 12_000 : 7000);
    return () => clearTimeout(t);
  }, [word, drop]);
  return (
    <div
      className={`flex items-baseline gap-3 border bg-leaf px-3 py-2 ${word.kind === 'refused' ? 'border-brick' : 'border-rule-2'}`}
    >
      <div className="min-w-0 flex-1 break-words">
        <span className={word.kind === 'refused' ? 'font-semibold text-brick' : ''}>{word.text}</span>
        {word.remedy && <div className="text-ink-2">{word.remedy}</div>}
      </div>
      {word.undo !== undefined && (
        <button
          type="button"
          className="font-semibold text-verdigris"
          onClick={() => {
            undo.mutate(word.undo as number);
            drop(word.id);
          }}
        >
          Undo
        </button>
      )}
      <button type="button" aria-label="dismiss" className="text-ink-3" onClick={() => drop(word.id)}>
        ×
      </button>
    </div>
  );
}
