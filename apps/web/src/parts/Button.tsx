import type { ButtonHTMLAttributes } from 'react';

/** An act. One in a view is filled: the one that goes on. */
export function Button({
  filled,
  quiet,
  className = '',
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { filled?: boolean; quiet?: boolean }) {
  const look = filled
    ? 'bg-verdigris text-on-fill border-verdigris disabled:opacity-50'
    : quiet
      ? 'border-transparent text-verdigris px-0'
      : 'bg-leaf border-rule-2 text-ink disabled:text-ink-3';
  return (
    <button
      type="button"
      className={`inline-flex items-center gap-1.5 whitespace-nowrap rounded-[3px] border px-3 py-1.5 font-semibold ${look} ${className}`}
      {...rest}
    />
  );
}
