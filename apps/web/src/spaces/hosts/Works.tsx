import { Button } from '../../parts/Button.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { useResumeWork, useStopWork, type WorkDto } from './works.ts';

const shown = { waiting: 'waits', running: '', done: 'done', failed: 'broke', stopped: 'stopped' } as const;

/** Work on hosts: what is under way with how far it is, and what became of each host. */
export function Works({ works, host }: { works: readonly WorkDto[]; host?: string }) {
  const stop = useStopWork();
  const resume = useResumeWork();
  const may = useMay().may('hosts.work');
  if (!works.length) return <p className="text-ink-2">Nothing was worked on in the last day.</p>;
  return (
    <div role="list" aria-label="Work">
      {works.map((w) => {
        const running = w.state === 'running' || w.state === 'stopping';
        const items = host ? w.items.filter((i) => i.host === host) : w.items;
        return (
          <div role="listitem" key={w.id} className="border-rule border-b py-2">
            <div className="flex items-baseline gap-3">
              <b>{w.title}</b>
              <span className="text-ink-2">
                <When at={w.createdAt} /> by {w.createdBy}
                {running ? (w.state === 'stopping' ? ', stopping' : '') : `, ${w.state}`}
              </span>
              {w.state === 'running' && (
                <Button quiet className="ml-auto py-0!" disabled={!may} onClick={() => stop.mutate(w.id)}>
                  Stop
                </Button>
              )}
              {(w.state === 'failed' || w.state === 'stopped') && (
                <Button quiet className="ml-auto py-0!" disabled={!may} onClick={() => resume.mutate(w.id)}>
                  Try again
                </Button>
              )}
            </div>
            {items
              .filter((i) => host || i.state === 'failed' || i.state === 'running' || items.length <= 4)
              .slice(0, 12)
              .map((i) => (
                <div key={i.host} className="grid grid-cols-[90px_110px_1fr] items-baseline gap-3 py-0.5">
                  <span className="truncate">{i.host}</span>
                  {i.state === 'running' ? (
                    <span
                      className="h-1.5 self-center bg-rule-2/50"
                      role="progressbar"
                      aria-label={`${w.title}, ${i.host}`}
                      aria-valuenow={i.percent}
                    >
                      <span className="block h-full bg-verdigris" style={{ width: `${i.percent}%` }} />
                    </span>
                  ) : (
                    <span className={i.state === 'failed' ? 'font-semibold text-brick' : 'text-ink-2'}>{shown[i.state]}</span>
                  )}
                  <span className={i.state === 'failed' ? '' : 'text-ink-2'}>
                    {i.text}
                    {i.remedy && <span className="block text-ink-2">{i.remedy}</span>}
                  </span>
                </div>
              ))}
            {!host && items.length > 4 && (
              <div className="text-ink-2">
                {items.filter((i) => i.state === 'done').length} of {items.length} done
              </div>
            )}
          </div>
        );
      })}
    </div>
  );
}
