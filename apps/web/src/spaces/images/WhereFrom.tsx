import { billsOf } from '@praesidor/core/model';
import { type PullStep, type WouldPull, wouldPull } from '@praesidor/core/images';
import type { Estate } from '@praesidor/core/model';
import { useMutation } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useScope } from '../../state/scope.ts';

/** Images keep their own names; the runtime redirects the pull. Computed as it is typed, measured on demand. */
export function WhereFrom({ estate, site }: { estate: Estate; site: string }) {
  const hosts = estate.hosts.filter((h) => h.held && (!site || h.site === site));
  const charters = estate.charters.filter((c) => !site || c.site === site);
  const [who, setWho] = useState<string>();
  const asked = who ?? hosts.find((h) => h.site === 'lr')?.name ?? hosts[0]?.name ?? charters[0]?.name ?? '';
  const host = estate.hosts.find((h) => h.name === asked);
  const charter = estate.charters.find((c) => c.name === (host?.held?.charter ?? asked));
  const images = [...estate.releases, ...estate.addons]
    .filter((r) => charter !== undefined && billsOf(charter).includes(r.name))
    .flatMap((r) => r.components.map((x) => x.image));
  const [typed, setTyped] = useState<string | undefined>(useScope().params.get('image') ?? undefined);
  const image = typed ?? images[2] ?? '';
  const would = useMemo((): WouldPull | Error | undefined => {
    if (!image.trim() || !asked) return undefined;
    try {
      return wouldPull(estate, host?.name ?? '', image.trim(), charter?.name);
    } catch (e) {
      return e as Error;
    }
  }, [estate, asked, image, host, charter]);
  const ask = useMutation({
    mutationFn: () =>
      api<{ measured: (PullStep & { ms: number })[] | null }>('POST', '/api/images/where', {
        ...(host ? { host: host.name } : { charter: asked }),
        image: image.trim(),
      }),
  });
  if (!charters.length) return null;
  return (
    <section aria-label="Where would this be pulled from" className="mt-5 border border-rule-2 bg-leaf px-3.5 py-2.5">
      <form
        className="flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate();
        }}
      >
        <b>Where would</b>
        <select
          aria-label="host or cluster"
          value={asked}
          onChange={(e) => {
            setWho(e.target.value);
            setTyped(undefined);
            ask.reset();
          }}
          className="mono set bg-leaf"
        >
          {hosts.map((h) => (
            <option key={h.name}>{h.name}</option>
          ))}
          {charters.map((x) => (
            <option key={x.name} value={x.name}>
              any of {x.name}
            </option>
          ))}
        </select>
        <b>pull</b>
        <input
          aria-label="image"
          list="images"
          value={image}
          onChange={(e) => {
            setTyped(e.target.value);
            ask.reset();
          }}
          className="mono set min-w-0 flex-1 bg-leaf"
        />
        <datalist id="images">
          {images.map((i) => (
            <option key={i} value={i} />
          ))}
        </datalist>
        <b>from?</b>
        <Button type="submit" disabled={ask.isPending || !(would && 'steps' in would)}>
          Measure
        </Button>
      </form>
      <Refused error={ask.error ?? (would instanceof Error ? would : undefined)} />
      {would && 'steps' in would && (
        <ol className="list-decimal pt-1.5 pl-5">
          {would.steps.map((s) => (
            <Step key={s.what + s.text} step={s} />
          ))}
        </ol>
      )}
      {ask.data && (
        <>
          <div className="pt-1.5 font-semibold">Measured from here</div>
          <ol className="list-disc pl-5">
            {ask.data.measured === null && (
              <li className="text-ink-2">nothing: to connect to a registry takes the role builder</li>
            )}
            {ask.data.measured?.map((s) => (
              <Step key={s.what} step={s} after={`, ${s.ms} ms`} />
            ))}
            {ask.data.measured?.length === 0 && <li className="text-ink-2">nothing: it would go to no registry of the estate</li>}
          </ol>
        </>
      )}
    </section>
  );
}

const Step = ({ step, after = '' }: { step: PullStep; after?: string }) => (
  <li className={step.good === false ? 'text-brick' : step.good === undefined ? 'text-ochre' : 'text-plum'}>
    {step.text}
    {after}
    {step.good === false ? ' — this is where it fails' : step.good === undefined ? ' — not known yet' : ''}
  </li>
);
