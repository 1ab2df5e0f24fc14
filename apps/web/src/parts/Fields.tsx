import { type InputHTMLAttributes, type ReactNode, useId } from 'react';

/** A labelled field; what is wrong with it stands below it. */
export function Field({
  label,
  wrong,
  hint,
  children,
}: {
  label: string;
  wrong?: string | undefined;
  hint?: ReactNode;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="mb-2.5 grid grid-cols-[130px_1fr] items-baseline gap-3">
      <label htmlFor={id} className="text-ink-2">
        {label}
      </label>
      <div>
        {children(id)}
        {wrong ? <div className="text-brick">{wrong}</div> : hint ? <div className="text-ink-3 text-sm">{hint}</div> : null}
      </div>
    </div>
  );
}
export const Input = (p: InputHTMLAttributes<HTMLInputElement>) => (
  <input {...p} className={`w-full border border-rule-2 bg-leaf px-2 py-1 ${p.className ?? ''}`} />
);
