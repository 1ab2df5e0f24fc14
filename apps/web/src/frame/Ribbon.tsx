import { headline, underWay } from '@praesidor/core/schedule';
import { bytesText } from '@praesidor/core/words';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { useBuilds, useShipments, useSnapshot } from '../api/queries.ts';
import { clock, clocks, zoneName } from '../parts/time.ts';
import { useWorks } from '../spaces/hosts/works.ts';
import { useRunning } from '../state/running.ts';
import { scoped, useScope } from '../state/scope.ts';

/** Everything that runs, with its expected end. */
export function Ribbon() {
  const { site } = useScope();
  const builds = useBuilds();
  const shipments = useShipments();
  const snapshot = useSnapshot();
  const sweeps = useRunning((s) => s.sweeps);
  const works = useWorks();
  const now = useNow(1000);
  const running = [
    ...(builds.data ?? []).filter(underWay).map((b) => ({
      key: `b${b.charter}${b.number}`,
      to: `/builds/${b.charter}/${b.number}`,
      text: `${b.kind === 'build' ? `${b.charter} · build ${b.number}` : b.title} · ${b.asks ? 'waits for approval' : b.waits ? 'waits for its turn' : `${b.done + b.skipped} of ${b.of} steps · ${headline(b, clock(Math.max(b.end ?? now, now)), clocks(Math.max(b.from ?? now, now), Math.max(b.to ?? now, now)))}`}`,
      failed: b.failed > 0,
      share: (b.done + b.skipped) / b.of,
    })),
    ...(shipments.data ?? [])
      .filter((s) => ['packing', 'landing', 'moving'].includes(s.state))
      .map((s) => ({
        key: s.label,
        to: '/images',
        text: `shipment ${s.label} · ${s.state} · ${bytesText(s.movedBytes)} of ${bytesText(s.bytes)}`,
        share: s.bytes ? s.movedBytes / s.bytes : 0,
      })),
    ...(works.data ?? [])
      .filter((w) => w.state === 'running' || w.state === 'stopping')
      .map((w) => {
        const share =
          w.items.reduce((s, i) => s + (i.state === 'waiting' ? 0 : i.state === 'running' ? i.percent / 100 : 1), 0) /
          w.items.length;
        const took = now - Date.parse(w.createdAt);
        return {
          key: `k${w.id}`,
          to: w.items.length === 1 ? `/hosts/${w.items[0]?.host}` : '/hosts',
          text: `${w.title.toLowerCase()} · ${w.items.filter((i) => i.state === 'done').length} of ${w.items.length}${share > 0.05 ? ` · ends ${clock(now + took / share - took)}` : ''}`,
          share,
        };
      }),
    ...Object.values(sweeps)
      .filter((s) => s.done < s.of)
      .map((s) => ({
        key: `w${s.site}`,
        to: `/hosts?site=${s.site}`,
        text: `sweep of ${s.site} · ${s.done} of ${s.of} addresses, ${s.found} answer`,
        share: s.done / s.of,
      })),
  ];
  const failing = running.filter((r) => 'failed' in r && r.failed).length;
  return (
    <footer className="flex items-center gap-4.5 overflow-hidden whitespace-nowrap border-rule-2 border-t bg-sunk px-3.5 text-ink-2 text-sm">
      <b className="text-ink">
        {running.length ? `▸ ${running.length} running` : 'Nothing is running'}
        {failing > 0 && <span className="text-brick">, {failing} with failed steps</span>}
      </b>
      {running.map((r) => (
        <Link
          key={r.key}
          to={scoped(r.to, site)}
          className={`flex items-center gap-3 hover:underline ${'failed' in r && r.failed ? 'text-brick' : ''}`}
        >
          {r.text}
          <span className="h-1.5 w-24 bg-rule-2/50">
            <span className="block h-full bg-verdigris" style={{ width: `${Math.round(r.share * 100)}%` }} />
          </span>
        </Link>
      ))}
      <span className="ml-auto">{snapshot.data ? `times in ${zoneName()} · estate revision ${snapshot.data.revision}` : ''}</span>
    </footer>
  );
}

export function useNow(every: number): number {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const t = setInterval(() => setNow(Date.now()), every);
    return () => clearInterval(t);
  }, [every]);
  return now;
}
