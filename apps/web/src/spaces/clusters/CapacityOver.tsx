/**
 * Usable cores from the begin of a change to its end, as a line that steps down where hosts are drained and up where they have joined; beside it, dashed, what
 * runs and asks for.
 */
export function CapacityOver({
  points,
  requested,
  end,
}: {
  points: readonly { at: number; cores: number }[];
  requested: number | undefined;
  end: number;
}) {
  const most = Math.max(1, requested ?? 0, ...points.map((p) => p.cores));
  const least = Math.min(...points.map((p) => p.cores));
  const short = requested !== undefined && requested > least;
  const x = (seconds: number) => Math.min(100, ((seconds * 1000) / Math.max(1, end)) * 100);
  const y = (cores: number) => 44 - (cores / most) * 28;
  const line = points
    .map((p, n) => `${n ? `H ${x(p.at)} V` : `M ${x(p.at)}`} ${y(p.cores)}`)
    .join(' ')
    .concat(' H 100');
  const text = points.map((p) => p.cores).join(', then ');
  return (
    <div className="grid grid-cols-[132px_minmax(0,1fr)]">
      <div className="border-rule border-b py-0.5 leading-tight">
        <div>usable</div>
        <div className="text-ink-3 text-xs">cores</div>
      </div>
      <div className="relative h-[52px] border-rule border-b">
        <svg
          viewBox="0 0 100 52"
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full"
          role="img"
          aria-label={`Usable cores: ${text}${requested === undefined ? '' : `; requested: ${requested}`}`}
        >
          {requested !== undefined && (
            <path
              d={`M 0 ${y(requested)} H 100`}
              fill="none"
              className={short ? 'stroke-brick' : 'stroke-ink-3'}
              strokeDasharray="3 3"
              strokeWidth="1.5"
              vectorEffect="non-scaling-stroke"
            />
          )}
          <path d={line} fill="none" className="stroke-verdigris" strokeWidth="2" vectorEffect="non-scaling-stroke" />
        </svg>
        {requested !== undefined && (
          <span
            className={`absolute right-1 whitespace-nowrap text-xs ${short ? 'font-semibold text-brick' : 'text-ink-3'}`}
            style={{ top: `${Math.max(0, y(requested) - 15)}px` }}
          >
            {requested} requested{short ? `: ${Math.round((requested - least) * 10) / 10} more than is left at the lowest` : ''}
          </span>
        )}
        {points.map((p, n) => (
          <span
            key={`${p.at} ${p.cores}`}
            className="absolute whitespace-nowrap pl-1 text-ink-2 text-xs"
            style={{ left: `${x(p.at)}%`, top: `${y(p.cores) - (n && p.cores < (points[n - 1]?.cores ?? 0) ? -3 : 14)}px` }}
          >
            {p.cores}
          </span>
        ))}
      </div>
    </div>
  );
}
