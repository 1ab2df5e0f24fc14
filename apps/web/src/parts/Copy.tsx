import { type ReactNode, useState } from 'react';

/** Text that one would type elsewhere: a click copies it. */
export function Copy({ text, children, className = '' }: { text: string; children?: ReactNode; className?: string }) {
  const [done, setDone] = useState(false);
  return (
    <button
      type="button"
      title={done ? 'copied' : `copy ${text}`}
      className={`text-left hover:underline hover:decoration-dotted ${className}`}
      onClick={async (e) => {
        e.stopPropagation();
        await navigator.clipboard?.writeText(text).catch(() => undefined);
        setDone(true);
        setTimeout(() => setDone(false), 1200);
      }}
    >
      {children ?? text}
      {done && <span className="ml-1 text-verdigris">✓</span>}
    </button>
  );
}
