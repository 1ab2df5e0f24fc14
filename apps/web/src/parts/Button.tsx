import type { ButtonHTMLAttributes, ReactNode } from 'react';
import { Link } from 'react-router';

const shape = 'inline-flex items-center gap-1.5 whitespace-nowrap rounded-[3px] border px-3 py-1.5 font-semibold';
const looks = {
  filled: 'bg-verdigris text-on-fill border-verdigris disabled:opacity-50',
  plain: 'bg-leaf border-rule-2 text-ink disabled:text-ink-3',
};

/** An act that opens another view. */
export const LinkButton = ({
  to,
  filled,
  leaves,
  className = '',
  children,
}: {
  to: string;
  filled?: boolean;
  /** It leads out of the application. */
  leaves?: boolean;
  className?: string;
  children: ReactNode;
}) => (
  <Link to={to} reloadDocument={leaves ?? false} className={`${shape} ${filled ? looks.filled : looks.plain} ${className}`}>
    {children}
  </Link>
);

/** An act. One in a view is filled: the one that goes on. */
export function Button({
  filled,
  quiet,
  className = '',
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { filled?: boolean; quiet?: boolean }) {
  const look = filled ? looks.filled : quiet ? 'border-transparent text-verdigris px-0' : looks.plain;
  return <button type="button" className={`${shape} ${look} ${className}`} {...rest} />;
}
