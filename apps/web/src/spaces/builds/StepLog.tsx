import { mendPlace, passed, skippable, type Step, type StepStatus } from '@praesidor/core/schedule';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { type BuildWhole, useBuildLog } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';

/** One step: how it stands, what can be done with it, and its log as it is written; or the lines of all steps that have a text. */
export function StepLog({ build, step, onChoose }: { build: BuildWhole; step: string; onChoose: (step: string) => void }) {
  const { site } = useScope();
  const [text, setText] = useState('');
  const log = useBuildLog(build.charter, String(build.number), step, text.trim());
  const end = useRef<HTMLDivElement>(null);
  const s = build.steps.find((x) => x.id === step);
  const st = build.status.steps[step];
  const count = log.data?.length ?? 0;
  useEffect(() => {
    if (count && st?.state === 'running') end.current?.scrollIntoView({ block: 'nearest' });
  }, [count, st?.state]);
  if (!s || !st) return null;
  const place = mendPlace(s, build.plan);
  return (
    <section aria-label={`Log of ${step}`} className="mt-4 border-rule-2 border-t pt-2.5">
      <div className="flex items-baseline gap-3">
        <h2 className="shrink-0 text-lg">
          {s.lane} · {s.title}
        </h2>
        <span className="min-w-0 truncate text-ink-2">
          {st.attempt > 1 ? `try ${st.attempt} · ` : ''}
          {standing(s, st, build)}
        </span>
        <span className="ml-auto flex shrink-0 items-center gap-2">
          <input
            aria-label="Find in the logs of all steps"
            placeholder="find in all logs"
            className="w-44 rounded-[3px] border border-rule-2 bg-leaf px-2 py-0.5"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <StepActs build={build} step={s} status={st} />
        </span>
      </div>
      {st.state === 'failed' && (
        <div role="alert" className="my-2 border-brick border-l-[3px] bg-brick-tint px-3 py-2">
          <div className="font-semibold text-brick">{st.text}</div>
          {st.remedy && <div>{st.remedy}</div>}
          <Link className="font-semibold text-verdigris hover:underline" to={scoped(place.go, site)}>
            {place.label}
          </Link>
        </div>
      )}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard */}
      <div tabIndex={0} className="max-h-[230px] overflow-auto pt-1 font-mono text-[12px] leading-[1.5]">
        {log.data?.map((l) => (
          <div key={l.id} className={l.level === 'fail' ? 'text-brick' : l.level === 'warn' ? 'text-ochre' : 'text-ink-2'}>
            <span className="pr-3 text-ink-3">
              <When at={l.at} as="clockSeconds" />
            </span>
            {text.trim() && (
              <button type="button" className="pr-3 text-verdigris hover:underline" onClick={() => onChoose(l.step)}>
                {l.step}
              </button>
            )}
            {l.line}
          </div>
        ))}
        {text.trim() && log.data?.length === 0 && <div className="text-ink-2">No step has a line with “{text.trim()}”.</div>}
        <div ref={end} />
      </div>
    </section>
  );
}

function standing(s: Step, st: StepStatus, { status }: BuildWhole): string {
  if (st.state === 'waiting')
    return `waits for ${s.after.filter((a) => !passed(status.steps[a]?.state)).join(', ') || 'its turn'}`;
  if (st.state === 'skipped') return `skipped by ${st.skipped?.by}: ${st.skipped?.reason}`;
  if (st.state === 'done') return st.text ?? 'done';
  return st.of ? `${st.done} of ${st.of}` : st.state;
}

/** A step is done once more, or skipped for a reason. */
function StepActs({ build, step, status }: { build: BuildWhole; step: Step; status: StepStatus }) {
  const may = useMay().may('builds.run');
  const [asking, setAsking] = useState<'repeat' | 'skip'>();
  const [reason, setReason] = useState('');
  const act = useCall<object, { act: 'repeat' | 'skip'; reason?: string }>(
    (v: { act: 'repeat' | 'skip'; reason?: string }) => ({
      method: 'POST',
      path: `/api/builds/${build.charter}/${build.number}/${v.act}`,
      body: {
        step: step.id,
        ...(v.reason ? { reason: v.reason } : {}),
      },
    }),
    (_, v) => (v.act === 'repeat' ? `${step.lane} ${step.title} runs once more.` : `${step.lane} ${step.title} is skipped.`),
    [['build', build.charter, String(build.number)], ['builds']],
  );
  const ended = build.status.state === 'done' || build.status.state === 'queued';
  const canRepeat = !ended && status.attempt > 0 && (status.state === 'done' || status.state === 'skipped');
  const canSkip = !ended && skippable.has(step.kind) && ['waiting', 'failed', 'cut'].includes(status.state);
  const close = () => setAsking(undefined);
  const name = `${step.lane} ${step.title}`;
  return (
    <>
      {canRepeat && (
        <Button quiet disabled={!may} onClick={() => setAsking('repeat')}>
          Repeat…
        </Button>
      )}
      {canSkip && (
        <Button quiet disabled={!may} onClick={() => setAsking('skip')}>
          Skip…
        </Button>
      )}
      {asking && (
        <Dialog
          open
          onClose={close}
          title={asking === 'repeat' ? `Repeat ${name}` : `Skip ${name}`}
          about={
            asking === 'repeat'
              ? 'It runs once more, as if it had not been done. Steps that came after it and are done stay as they are.'
              : 'It is held to be done, and what comes after it goes on. The reason stays in the record with your name.'
          }
          acts={
            <>
              <Button onClick={close}>Cancel</Button>
              <Button
                filled
                disabled={asking === 'skip' && !reason.trim()}
                onClick={() => {
                  act.mutate({ act: asking, reason: reason.trim() });
                  close();
                }}
              >
                {asking === 'repeat' ? 'Repeat' : 'Skip'}
              </Button>
            </>
          }
          same={() => act.call({ act: asking, reason: reason.trim() })}
        >
          {asking === 'repeat' ? (
            <p>
              {build.status.state === 'running'
                ? 'It begins as soon as there is room for it.'
                : 'It begins when the build is resumed.'}
            </p>
          ) : (
            <Field label="Reason">
              {(id) => <Input id={id} autoFocus value={reason} onChange={(e) => setReason(e.target.value)} />}
            </Field>
          )}
        </Dialog>
      )}
    </>
  );
}
