import type { ReactNode } from 'react';

/** What belongs here, and the first act. */
export const Empty = ({ title, children, act }: { title: string; children: ReactNode; act?: ReactNode }) => (
  <div className="my-8 max-w-md border-rule-2 border-l-[3px] pl-4">
    <h2 className="text-lg">{title}</h2>
    <p className="my-1.5 text-ink-2">{children}</p>
    {act}
  </div>
);
