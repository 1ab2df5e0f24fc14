/** Usable cores from the begin of a change to its end, as a line that steps down where hosts are drained and up where they have joined. */
export function CapacityOver({ points, end }: { points: readonly { at: number; cores: number }[]; end: number }) {
  const most = Math.max(1, ...points.map((p) => p.cores));
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
          aria-label={`Usable cores: ${text}`}
        >
          <path d={line} fill="none" className="stroke-verdigris" strokeWidth="2" vectorEffect="non-scaling-stroke" />
        </svg>
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
