import type { ReactNode } from 'react';
import { Fort } from '../../frame/Fort.tsx';

/** A page for whoever is not signed in. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="grid h-full grid-rows-[44px_1fr]">
      <header className="flex items-center gap-2 bg-bar px-3.5 font-semibold font-serif text-[16px] text-bar-text">
        <Fort />
        Praesidor
      </header>
      <main className="mx-auto w-[430px] pt-[16vh]">
        <h1 className="border-rule-2 border-b pb-3 text-xl">{title}</h1>
        {children}
        <p className="pt-6 text-ink-3">From owned machines to proved clusters.</p>
      </main>
    </div>
  );
}
