export type MarkKind = 'free' | 'half' | 'done' | 'failing' | 'hatched' | 'sighted' | 'virtual';

/** State by shape first: hollow, filled from below, filled, with a stroke, hatched, dashed. */
export function Mark({ kind, title }: { kind: MarkKind; title?: string }) {
  const colour =
    kind === 'failing'
      ? 'var(--brick)'
      : kind === 'sighted'
        ? 'var(--ink-3)'
        : kind === 'virtual'
          ? 'var(--plum)'
          : 'var(--verdigris)';
  return (
    <svg
      width="11"
      height="14"
      viewBox="0 0 11 14"
      className="inline-block shrink-0"
      role={title ? 'img' : undefined}
      aria-label={title}
      aria-hidden={title ? undefined : true}
    >
      {title && <title>{title}</title>}
      <rect
        x=".75"
        y=".75"
        width="9.5"
        height="12.5"
        fill={kind === 'done' ? colour : 'none'}
        stroke={colour}
        strokeWidth="1.3"
        strokeDasharray={kind === 'sighted' ? '2 1.6' : undefined}
      />
      {kind === 'half' && <rect x="1" y="7" width="9" height="6" fill={colour} />}
      {kind === 'failing' && <path d="M1.5 12.5 9.5 1.5" stroke={colour} strokeWidth="1.3" />}
      {kind === 'hatched' && <path d="M1 6 6 1M1 11 10 2M4 13l6-6" stroke={colour} strokeWidth="1" />}
    </svg>
  );
}

export const hostMark = (state: string): MarkKind =>
  (
    ({
      sighted: 'sighted',
      listed: 'failing',
      fit: 'free',
      held: 'half',
      serving: 'done',
      resting: 'hatched',
      retired: 'hatched',
    }) as Record<string, MarkKind>
  )[state] ?? 'free';
